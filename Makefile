# make demo      install what is missing, build, and serve the demo
# make test      everything that must hold
# make bench     speed, measured
# make quick     what holds without a browser, in under two minutes
# make contract  what scripts and docs hold of Go, written anew
# make lint      go vet, staticcheck, eslint, tsc --checkJs, html-validate
# make mutate    changes rules one at a time, and says which of them no test notices
# make screenshots   the pictures in docs/screenshots, from demo data

export CGO_ENABLED = 0
# A clone that belongs to somebody else builds, too: git is not asked.
# Nor does it matter where it lies: what was built for one serves the next.
export GOFLAGS += -buildvcs=false -trimpath
GO ?= go
DEMO ?= var

.PHONY: mutate demo demo-reset build test quick bench contract lint screenshots setup setup-demo fuzz

demo: setup-demo build
	@exec bin/incipit demo --dir "$(DEMO)"

demo-reset: setup-demo build
	@exec bin/incipit demo --reset --dir "$(DEMO)"

build:
	@$(GO) build -ldflags "-X main.built=$$(git rev-parse --short=12 HEAD 2>/dev/null)" -o bin/incipit ./cmd/incipit

setup-demo:
	@sh scripts/install.sh postgresql

setup:
	@sh scripts/install.sh postgresql chromium

test: setup build
	@sh scripts/install.sh npm gcc poppler qpdf
	@sh scripts/oembed-consumer.sh
	@bin/incipit warm
	GO="$(GO)" $(GO) run ./internal/testkit/withdb sh scripts/test.sh

quick: setup-demo build
	@bin/incipit warm
	@$(GO) vet ./...
	$(GO) run ./internal/testkit/withdb $(GO) test -short -vet=off $$($(GO) list ./... | grep -v -e '/e2e$$' -e '/bench$$')

bench: setup build
	@sh scripts/install.sh poppler
	@bin/incipit warm
	$(GO) test -run '^$$' -bench . ./internal/core/proof
	$(GO) test -run '^$$' -bench . -benchtime 1x -timeout 20m ./bench
	$(GO) test -run '^$$' -bench Arriving -benchtime 1x -timeout 10m ./cmd/incipit

contract:
	INCIPIT_WRITE=1 $(GO) test -count 1 -run WhatIsWrittenFromGo ./internal/desk

lint: setup build
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	@sh scripts/lint-scripts.sh must
	@sh scripts/lint-html.sh

# The packages whose rules are held by their own tests alone; MOST changes of each.
MUTATE ?= access merge frame overlay textflow compare proof starter report
MOST ?= 40
mutate:
	$(GO) run ./internal/testkit/mutate -most $(MOST) $(addprefix internal/core/,$(MUTATE))

fuzz:
	$(GO) test -run '^$$' -fuzz FuzzPatch -fuzztime 30s ./internal/core/setting
	$(GO) test -run '^$$' -fuzz FuzzColumn -fuzztime 30s ./internal/core/proof
	$(GO) test -run '^$$' -fuzz FuzzFind -fuzztime 30s ./internal/core/find
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 30s ./internal/pdf/plain

screenshots: setup build
	@bin/incipit warm
	INCIPIT_SHOTS=$(CURDIR)/docs/screenshots $(GO) test -count 1 -run 'Screenshots' ./e2e
