package choose

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
)

// press sends keys to a model, and carries out what it wants done.
func press(t *testing.T, m model, keys ...string) model {
	t.Helper()
	settle := func(cmd tea.Cmd) {
		for cmd != nil {
			msg := cmd()
			if _, quit := msg.(tea.QuitMsg); quit {
				return
			}
			var next tea.Model
			next, cmd = m.Update(msg)
			m = next.(model)
		}
	}
	settle(m.Init())
	for _, key := range keys {
		next, cmd := m.press(key)
		m = next.(model)
		settle(cmd)
	}
	return m
}

func choice(worked *int) Choice {
	return Choice{Title: "a way", Questions: []Question{
		{Name: "freshen", Answers: []string{"none", "minor", "major"}, At: 2},
		{Name: "hops", Answers: []string{"one", "leap"}}},
		Effect: func(_ context.Context, at []int) (Effect, error) {
			*worked++
			return Effect{Lines: []string{fmt.Sprintf("%d stages", at[0]+at[1])}, Command: fmt.Sprintf("molt plan %v", at),
				Bad: at[0] == 0}, nil
		}}
}

// TestChoice moves between questions and answers, works each out once, and accepts what does.
func TestChoice(t *testing.T) {
	worked := 0
	m := press(t, newModel(context.Background(), choice(&worked)), "left", "down", "right", "enter")
	if !m.accepted || m.key() != "[1 1]" {
		t.Errorf("%v, accepted %v", m.at(), m.accepted)
	}
	if view := m.View().Content; !strings.Contains(view, "2 stages") || !strings.Contains(view, "molt plan [1 1]") ||
		!strings.Contains(view, "[minor]") {
		t.Errorf("the screen is\n%s", view)
	}
	worked = 0
	m = press(t, newModel(context.Background(), choice(&worked)), "right", "enter", "left", "right", "enter")
	if m.accepted || worked != 2 {
		t.Errorf("what does not do is accepted: %v; %d times worked out", m.accepted, worked)
	}
	for _, key := range []string{"esc", "q", "ctrl+c"} {
		if m := press(t, newModel(context.Background(), choice(&worked)), key); m.accepted {
			t.Errorf("%s accepts", key)
		}
	}
}

// TestChoiceFails ends with the error of working something out.
func TestChoiceFails(t *testing.T) {
	bad := errors.New("the registry is gone")
	m := newModel(context.Background(),
		Choice{Questions: []Question{{Name: "x", Answers: []string{"a"}}},
			Effect: func(context.Context, []int) (Effect, error) { return Effect{}, bad }})
	if m = press(t, m); m.err != bad {
		t.Errorf("%v", m.err)
	}
}

// TestNarrowChoice shows one answer where all do not fit.
func TestNarrowChoice(t *testing.T) {
	got := answers(Question{Answers: []string{
		"brackwater 4.3.2, published 2024-01-01", "brackwater 5.0.0, published 2025-01-01"}, At: 1}, 50)
	if !strings.Contains(got, "[brackwater 5.0.0, published 2025-01-01]") || !strings.Contains(got, "2 of 2") ||
		strings.Contains(got, "4.3.2") {
		t.Error(got)
	}
}
