module incipit

go 1.26.0

require (
	github.com/klippa-app/go-pdfium v1.21.4
	github.com/stretchr/testify v1.12.1
	github.com/tetratelabs/wazero v1.12.0
)

require (
	github.com/google/uuid v1.6.0 // indirect
	github.com/jolestar/go-commons-pool/v2 v2.1.2 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/sys v0.48.0 // indirect
	golang.org/x/text v0.43.0 // indirect
)
