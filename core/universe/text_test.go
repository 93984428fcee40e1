package universe

import "testing"

func TestHarmless(t *testing.T) {
	if got := Harmless("a\x1b[31mb\x07\u202ec\td\ne\u009b"); got != "a[31mbc\td\ne" {
		t.Errorf("left is %q", got)
	}
}
