module molt

go 1.26.0

require (
	github.com/hashicorp/go-retryablehttp v0.7.8
	github.com/package-url/packageurl-go v0.1.7
	github.com/tailscale/hujson v0.0.0-20260727124030-b80ff77dac4f
	github.com/tidwall/gjson v1.20.1
	golang.org/x/sync v0.24.0
)

require (
	github.com/BurntSushi/toml v1.4.1-0.20240526193622-a339e1f7089c // indirect
	github.com/hashicorp/go-cleanhttp v0.5.2 // indirect
	github.com/tidwall/match v1.1.1 // indirect
	github.com/tidwall/pretty v1.2.0 // indirect
	golang.org/x/exp/typeparams v0.0.0-20231108232855-2478ac86f678 // indirect
	golang.org/x/mod v0.41.0 // indirect
	golang.org/x/tools v0.51.0 // indirect
	honnef.co/go/tools v0.8.2 // indirect
)

tool honnef.co/go/tools/cmd/staticcheck
