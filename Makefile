# Everything is done by these targets; `make help` lists them.
SHELL := /bin/bash
export PATH := $(PATH):/usr/local/go/bin
# Bits are counted by the processor's own instruction: the index and pictures take a fifth less time.
export GOAMD64 ?= v2
GO_FILES := $(shell find . -name '*.go' -not -path './web/node_modules/*' -not -path './.pelican/*')
WEB_FILES := $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)

.DEFAULT_GOAL := help
.PHONY: help demo demo-reset test faults build setup setup-test generate dev lint nodes screenshots bench clean

help: ## list the targets
	@grep -E '^[a-z-]+:.*##' Makefile | sed -E 's/:.*## /\t/' | expand -t 16

demo: setup build ## start everything with demo data and print the address
	@exec bin/pelican demo

demo-reset: setup build ## the same, with the demo data afresh
	@exec bin/pelican demo --reset

test: setup-test build ## run every check and every test
	@scripts/test

setup: ## install what is missing: PostgreSQL's server, the front end's packages
	@scripts/setup

setup-test:
	@scripts/setup --test

build: bin/pelican ## build the one binary, with the front end in it

bin/pelican: $(GO_FILES) go.mod web/dist/index.html
	go build -o bin/pelican ./cmd/pelican

web/dist/index.html: $(WEB_FILES) web/node_modules/.installed
	cd web && npm run --silent build

web/node_modules/.installed: web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

generate: web/node_modules/.installed ## write the generated files anew
	node core/money/generate.mjs
	node core/order/generate.mjs
	go run ./cmd/pelican openapi > docs/openapi.json
	cd web && npm run --silent generate

faults: setup-test build ## inputs made to harm and days when something is away, in full
	FAULTS=full go test -count=1 -v -timeout 30m ./faults

lint: ## vet, staticcheck, the length of lines, and the front end's types and lint
	go vet ./...
	go tool staticcheck ./...
	node scripts/lines.mjs
	cd web && npm run --silent lint && npm run --silent types
	cd e2e && ../web/node_modules/.bin/biome check --error-on-warnings .

nodes: ## build and check the front end with each version of Node.js that is promised
	@scripts/nodes

dev: setup ## work on it: the front end reloads as it is edited, the back end restarts
	@scripts/dev

screenshots: setup-test build ## take docs/screenshots afresh from the demo data
	@scripts/screenshots

clean: ## remove what was built and all demo and test data
	rm -rf bin .pelican web/node_modules web/dist/assets web/dist/index.html
