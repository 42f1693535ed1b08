# Zinc Road. "make demo" shows it, "make test" checks it; both install what is missing.
SHELL := /bin/bash
.DELETE_ON_ERROR:
ASSETS := web/static/app.css web/static/app.js web/static/stall.js web/static/queue.js web/static/offline.js web/static/film.js web/static/filmreader.js web/static/practice.js web/static/htmx.min.js web/static/archivo.woff2 web/static/icon.svg

.PHONY: demo test galleries build assets bench lint format fuzz chaos screenshots prerequisites test-prerequisites help clean

help: ## this list
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:[^#]*## /\t/' | expand -t 16

demo: prerequisites build ## install what is missing, build, start PostgreSQL and the program with demo data; SPEED=60 for a fast stand-in
	exec bin/zincroad demo $(if $(SPEED),--speed $(SPEED))

test: test-prerequisites build ## install what is missing and run every test
	tools/run-tests

galleries: test-prerequisites ## the galleries whole, and a hundred tries of each property, where make test looks at a third
	ZINCROAD_GALLERIES=1 go test -count=1 -timeout 30m $$(grep -rl internal/sampled --include=*_test.go . | xargs -n1 dirname | sort -u | grep -v node_modules)

build: bin/zincroad ## the program at bin/zincroad, everything inside

bin/zincroad: $(ASSETS) $(shell find cmd core demo formats internal live logbook standin web -name '*.go' -o -name '*.html' -o -name '*.sql' -o -path "web/draw/*.css" -o -path "formats/*.json" -o -path "cmd/*.json") go.mod go.sum
	go build -o $@ ./cmd/zincroad

assets: $(ASSETS)

node_modules/.installed: package.json package-lock.json
	npm ci --no-audit --no-fund
	@touch $@

web/static/app.css: node_modules/.installed web/styles/app.css web/draw/lines.css $(wildcard web/templates/*.html web/*/templates/*.html)
	@mkdir -p web/static
	npm run --silent styles
web/static/app.js: node_modules/.installed web/scripts/app.js $(wildcard web/scripts/app/*.js)
	@mkdir -p web/static
	npm run --silent scripts
web/static/film.js: node_modules/.installed web/scripts/film.js web/scripts/app/page.js
	@mkdir -p web/static
	npm run --silent film
web/static/practice.js: node_modules/.installed web/scripts/practice.js web/scripts/app/page.js
	@mkdir -p web/static
	npm run --silent practice
web/static/filmreader.js: node_modules/.installed $(wildcard web/scripts/film/*.js) web/scripts/film/weights.json
	@mkdir -p web/static
	npm run --silent filmreader
web/static/stall.js: web/scripts/stall.js
	@mkdir -p web/static
	cp $< $@
web/static/queue.js: web/scripts/queue.js
	@mkdir -p web/static
	cp $< $@
web/static/offline.js: web/scripts/offline.js
	@mkdir -p web/static
	cp $< $@
web/static/icon.svg: web/styles/icon.svg
	@mkdir -p web/static
	cp $< $@
web/static/htmx.min.js: node_modules/.installed
	@mkdir -p web/static
	cp node_modules/htmx.org/dist/htmx.min.js $@
web/static/archivo.woff2: node_modules/.installed
	@mkdir -p web/static
	cp node_modules/@fontsource-variable/archivo/files/archivo-latin-standard-normal.woff2 $@

prerequisites:
	@tools/prerequisites run
test-prerequisites:
	@tools/prerequisites test

bench: test-prerequisites build ## measure speed; ratios belong in docs/development.md
	bench/run

lint: $(ASSETS) ## gofmt, vet, staticcheck, tidiness; types, rules and format of scripts, styles and templates
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	go mod tidy -diff
	npm run --silent check

format: node_modules/.installed ## write Go, templates, styles and scripts as lint wants them
	gofmt -w $$(git ls-files '*.go')
	npm run --silent format

fuzz: ## fuzz every parser for 20 s each, beyond the corpus that make test runs
	tools/fuzz

chaos: test-prerequisites build ## five minutes of kills, freezes, full disks, cut networks and a clock that is set, against a live run and imports; counts printed
	ZINCROAD_CHAOS=$(or $(FOR),5m) go test -count=1 -timeout 20m -v -run TestChaos ./cmd/zincroad
	ZINCROAD_CHAOS=1 go test -count=1 -v -run TestReadingsOverABadNetwork ./web

screenshots: test-prerequisites build ## take the pictures of docs/screenshots anew
	ZINCROAD_SCREENSHOTS=$(CURDIR)/docs/screenshots go test -count=1 -timeout 5m -run TestScreenshots ./web

clean: ## remove what was built
	rm -rf bin web/static node_modules
