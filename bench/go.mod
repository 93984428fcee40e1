module molt/bench

go 1.26.0

require molt v0.0.0

require (
	github.com/bytedance/sonic v1.15.5
	github.com/go-air/gini v1.0.4
	github.com/go-json-experiment/json v1.27.2
	github.com/tidwall/gjson v1.20.1
)

require (
	github.com/bytedance/gopkg v0.1.3 // indirect
	github.com/bytedance/sonic/loader v0.5.3 // indirect
	github.com/cloudwego/base64x v0.1.6 // indirect
	github.com/evanw/esbuild v0.28.2 // indirect
	github.com/github/go-spdx/v2 v2.8.0 // indirect
	github.com/gofrs/flock v0.13.1 // indirect
	github.com/hashicorp/go-cleanhttp v0.5.2 // indirect
	github.com/hashicorp/go-retryablehttp v0.7.8 // indirect
	github.com/jdx/go-netrc v1.0.0 // indirect
	github.com/klauspost/cpuid/v2 v2.2.9 // indirect
	github.com/package-url/packageurl-go v0.1.7 // indirect
	github.com/pelletier/go-toml/v2 v2.4.3 // indirect
	github.com/tailscale/hujson v0.0.0-20260727124030-b80ff77dac4f // indirect
	github.com/tidwall/match v1.1.1 // indirect
	github.com/tidwall/pretty v1.2.0 // indirect
	github.com/twitchyliquid64/golang-asm v0.15.1 // indirect
	golang.org/x/arch v0.0.0-20210923205945-b76863e36670 // indirect
	golang.org/x/sync v0.24.0 // indirect
	golang.org/x/sys v0.49.0 // indirect
)

replace molt => ../
