# Job Shelf. `make` alone lists what there is.
SHELL := /bin/bash
.SHELLFLAGS := -euo pipefail -c
# A module that the proxy does not have fails at once instead of asking its maker's server.
export GOPROXY := $(shell go env GOPROXY | sed 's/,direct$$//')
export CGO_ENABLED := 0

WEB_SOURCES := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/tsconfig.json web/package.json
# Not ./...: node_modules may hold Go of its own. What waits most is begun first.
PACKAGES := ./e2e ./bench ./cmd/... ./core/... ./internal/... ./web
FUZZTIME ?= 20s

.PHONY: help demo test test/go test/web check lint lint/go fmt bench fit fuzz golden api shots answers setup mutate share

help: ## list the targets
	@grep -hE '^[a-z/]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 12

demo: setup bin/jobshelf ## serve the demo house and print its address (LISTEN=127.0.0.1:8080; SPEED=20 for a fast clock)
	@exec bin/jobshelf demo --listen $(or $(LISTEN),127.0.0.1:8080) --speed $(or $(SPEED),1)

test: setup test/web test/go ## everything: set up, check, and run every test

test/go: web/dist/index.html
	go vet $(PACKAGES)
	go test -vet=off -p 3 -timeout 15m $(PACKAGES)

# Types are checked beside the rest: that has one thread.
test/web: web/node_modules/.stamp
	(cd web && exec npm run --silent typecheck) & types=$$!; (cd web && npm run --silent lint && npm run --silent test); wait $$types

check: web/node_modules/.stamp web/dist/index.html ## the quick part: what needs no database and no browser
	@test -z "$$(gofmt -l cmd core e2e bench internal web/*.go)" || { gofmt -l cmd core e2e bench internal web/*.go; exit 1; }
	go vet $(PACKAGES)
	go test -short ./core/... ./cmd/...
	cd web && npm run --silent lint && npm run --silent typecheck && npm run --silent test

lint: lint/go ## golangci-lint (built on first use, some minutes) and ESLint
	cd web && npm run --silent lint

lint/go: .cache/golangci-lint
	.cache/golangci-lint run

.cache/golangci-lint: tools/go.mod
	mkdir -p .cache && cd tools && go build -o ../$@ github.com/golangci/golangci-lint/v2/cmd/golangci-lint

fmt: ## format Go and the rest that has a formatter
	gofmt -w cmd core e2e bench internal web/*.go
	cd web && npx eslint --fix .

bench: setup web/dist/index.html ## speed and memory, beside peers in the same run (SHORT=-short leaves out the largest)
	go test $(SHORT) -run '^$$' -bench . -benchtime $(or $(BENCHTIME),5x) -timeout 60m ./bench ./e2e

DAYS ?= 30
month: setup ## days of the demo house with faults at random, by whole moves: nothing lost, doubled or hot (DAYS=30, SEED=1)
	JOBSHELF_DAYS=$(DAYS) JOBSHELF_SEED=$(or $(SEED),1) go test -count=1 -v -timeout 60m -run TestDaysOfTheHouse ./internal/drive

PKG ?= core/shop/planning core/print/naming core/print/plate core/print/machine core/print/recipe core/judge/verdict core/judge/printability core/print/estimate core/print/motion core/judge/slicing
mutate: .cache/gremlins ## small faults, one at a time: would the tests of PKG notice? (N=100 at random, SEED=1; see CONTRIBUTING)
	go run ./cmd/mutate -v -n $(or $(N),0) -seed $(or $(SEED),1) $(PKG)

.cache/gremlins: tools/go.mod
	mkdir -p .cache && cd tools && go build -o ../$@ github.com/go-gremlins/gremlins/cmd/gremlins

share: ## how much of the code is tests; what is generated is left out
	@go run ./cmd/share

fit: web/node_modules/.stamp ## fit the quick estimate's factors anew, and tell how far it is off
	go run ./cmd/fit -write core/print

fuzz: ## every fuzz target for FUZZTIME
	@for p in $$(grep -rlE '^func Fuzz' --include='*_test.go' core | xargs -n1 dirname | sort -u); do \
	  for f in $$(grep -hoE '^func Fuzz[A-Za-z0-9]+' $$p/*_test.go | sed 's/func //'); do \
	    echo "== $$p $$f"; CGO_ENABLED=0 go test ./$$p -run '^$$' -fuzz "^$$f\$$" -fuzztime $(FUZZTIME); done; done

golden: web/node_modules/.stamp ## write the golden files anew; read the difference before you commit
	for p in $$(grep -rlE 'golden\.Assert|"update", false' --include='*_test.go' core internal | xargs -n1 dirname | sort -u); do go test ./$$p -run 'Were|Was|Did|Told|Look|Gallery|Described' -update || exit 1; done
	cd web && npm run --silent test -- -u

api: bin/jobshelf ## the API's description and its TypeScript types
	bin/jobshelf openapi > web/src/api/openapi.json
	cd web && npm run --silent api

shots: bin/jobshelf ## the pictures in docs/screenshots, from a fresh demo house
	scripts/shots

answers: bin/jobshelf ## what a fresh demo house answers, for the tests of the web
	scripts/shots -answers web/src/testdata/house.json

setup: ## install what is missing (PostgreSQL, Chromium)
	@scripts/setup

web/node_modules/.stamp: web/package-lock.json
	cd web && npm ci --no-audit --no-fund --prefer-offline && touch node_modules/.stamp

web/dist/index.html: web/node_modules/.stamp $(WEB_SOURCES)
	cd web && npm run --silent build && touch dist/index.html

bin/jobshelf: web/dist/index.html $(shell find cmd core internal -name '*.go' -o -name '*.sql') web/embed.go go.mod
	go build -o $@ ./cmd/jobshelf
