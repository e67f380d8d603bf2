# Two commands matter: make demo, and make test. Both install what a fresh Debian machine lacks, and neither does
# again what is already done.

# RELEASE is the number of the version that is worked on; a build between releases says its commit, too.
RELEASE := 0.9.0
VERSION ?= $(RELEASE)$(shell git describe --always --dirty --exclude '*' 2>/dev/null | sed 's/^/+/')
GO_SOURCES := $(shell find api assistant cli cmd core discovery figure mqttface outgoing recogniser scenery service stage station store web/embed.go wire -name '*.go' -not -name '*_test.go' -o -name '*.yaml' -path 'core/*' -o -name '*.txt' -path 'core/*' -o -name '*.jsgf' -o -name '*.html' -path 'assistant/*' -not -path '*/testdata/*' -o -path 'scenery/*' -not -name '*_test.go') $(wildcard firmware/wifi/*.go firmware/wifi/*.py)
WEB_SOURCES := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/tsconfig.json
# The binary needs no C; the race detector does. Under it the large packages are compiled without optimization, which saves
# a minute and a half on a new machine. Vet and staticcheck look at the same build as the binary, so it is made once.
STATIC := CGO_ENABLED=0
QUICK := '-gcflags=modernc.org/...=-N -l' '-gcflags=github.com/chromedp/...=-N -l' '-gcflags=gorm.io/...=-N -l' \
	'-gcflags=gonum.org/...=-N -l' '-gcflags=codeberg.org/...=-N -l' '-gcflags=golang.org/x/image/...=-N -l' '-gcflags=golang.org/x/text/...=-N -l' \
	'-gcflags=github.com/charmbracelet/...=-N -l' '-gcflags=charm.land/...=-N -l' '-gcflags=github.com/danielgtaylor/...=-N -l' '-gcflags=github.com/jedib0t/...=-N -l'
MODULES := web/node_modules/.package-lock.json
CLIENTS := e2e/clients/node_modules/.package-lock.json
BOARDS := firmware/wifi/bench/node_modules/.package-lock.json

# Whole months of a house take a quarter of an hour under the race detector, which gives up after so many events.
MONTHS := ^(TestMonth|TestRehearsal)

.PHONY: build demo test lint bench mutants fuzz types screenshots dist clean

build: bin/urbo ## the binary, with the console in it

demo: build ## serve the demo at a printed address
	@bin/urbo demo

bin/urbo: web/dist/index.html go.mod go.sum $(GO_SOURCES)
	@scripts/need.sh go
	$(STATIC) go build -ldflags '-s -w -X main.version=$(VERSION)' -o $@ ./cmd/urbo

web/dist/index.html: $(MODULES) $(WEB_SOURCES)
	cd web && npm run build

$(MODULES): web/package.json web/package-lock.json
	@scripts/need.sh node npm
	cd web && npm ci
	@touch $@

$(CLIENTS): e2e/clients/package.json e2e/clients/package-lock.json
	@scripts/need.sh node npm
	cd e2e/clients && npm ci --ignore-scripts
	@touch $@

$(BOARDS): firmware/wifi/bench/package.json firmware/wifi/bench/package-lock.json
	@scripts/need.sh node npm
	cd firmware/wifi/bench && npm ci --ignore-scripts
	@touch $@

test: build $(CLIENTS) $(BOARDS) ## all tests
	@scripts/need.sh cc chromium mosquitto mosquitto_pub
	@scripts/need.sh --may avr-gcc simavr python3 systemd-analyze espeak-ng pocketsphinx_continuous avahi-browse ip
	cd web && npm test
	URBO_BIN=$(CURDIR)/bin/urbo go test -race -vet=off -timeout 40m -parallel 6 -skip '$(MONTHS)' $(QUICK) \
	  $$(go list ./... | grep -v -e /core/control$$ -e /firmware) # make lint vets
	go test -race -vet=off $(QUICK) -p 1 ./firmware/... # by themselves: simulated boards keep up with real time
	$(STATIC) go test -vet=off ./core/control # 100,000 stories of one goroutine each: nothing to race
	$(STATIC) go test -vet=off -run '$(MONTHS)' ./scenery

lint: web/dist/index.html ## formatting, vet, staticcheck, generated types and style
	@scripts/need.sh go
	@unformatted=$$(gofmt -l api assistant cli cmd core discovery e2e figure firmware mqttface outgoing recogniser scenery service stage station store web/*.go wire); \
	  if [ -n "$$unformatted" ]; then echo "not formatted by gofmt: $$unformatted"; exit 1; fi
	@git ls-files '*.go' | go run scripts/lines.go
	$(STATIC) go vet ./...
	$(STATIC) GOARCH=arm GOARM=7 go build -o /dev/null ./cmd/urbo # boards with 32 bits
	$(STATIC) go tool staticcheck ./...
	cd web && npm run types:check && npm run lint

bench: ## benchmarks beside the code
	go test -run '^$$' -bench . -benchmem ./core/... ./service/... ./store ./api

MUTANTS ?= 60
mutants: ## changes MUTANTS places of the rules of controls, one at a time: the tests have to find them
	$(STATIC) go test -vet=off -timeout 6h ./core/control -run TestMutants -v -mutants $(MUTANTS) | grep -v '^=== '

FUZZTIME ?= 2m
fuzz: ## each fuzz target for FUZZTIME
	@for target in core/signal:FuzzScanner core/line:FuzzParseSheet core/line:FuzzDecode core/bench:FuzzDescribe \
		core/recording:FuzzOpen core/recording:FuzzPasted core/speech:FuzzReadWAV core/agenda:FuzzRead core/pack:FuzzRead core/notation:FuzzParse core/run:FuzzParse core/errand:FuzzParse station:FuzzLines \
		station/websocket:FuzzReceive station/mqtt:FuzzLengths station/mqtt:FuzzPayload station/mqtt:FuzzOwn \
		service/backup:FuzzStage api:FuzzSignIn; do \
		echo "$$target"; \
		go test ./$${target%:*} -run '^$$' -fuzz "^$${target#*:}$$" -fuzztime $(FUZZTIME) -fuzzminimizetime 5s || exit 1; \
	done

types: ## OpenAPI document and the console's types, after a change of the API
	go test ./api -run OpenAPI -update
	cd web && npm run types

screenshots: build ## the README's pictures, from the demo
	@scripts/need.sh chromium Xvfb xterm import curl
	scripts/terminal-shots.sh docs/screenshots
	URBO_BIN=$(CURDIR)/bin/urbo $(STATIC) go test ./e2e -count 1 -run TestScreenshots -screenshots $(CURDIR)/docs/screenshots

NFPM := github.com/goreleaser/nfpm/v2/cmd/nfpm@v2.43.1
# ARCHES are what packages are made for, as Debian names them.
ARCHES ?= amd64 arm64 armhf

dist: web/dist/index.html ## static binaries and .deb packages, in dist/
	@scripts/need.sh go
	@mkdir -p dist/completions
	@for arch in $(ARCHES); do \
		case $$arch in armhf) go="arm GOARM=7" ;; *) go=$$arch ;; esac; \
		env CGO_ENABLED=0 GOOS=linux GOARCH=$$go go build -trimpath -ldflags '-s -w -X main.version=$(VERSION)' \
			-o dist/$$arch/urbo ./cmd/urbo || exit 1; \
	done
	@for shell in bash zsh fish; do go run ./cmd/urbo completion $$shell > dist/completions/urbo.$$shell || exit 1; done
	@for arch in $(ARCHES); do \
		ARCH=$$arch VERSION=$(patsubst v%,%,$(RELEASE)) go run $(NFPM) package --config packaging/nfpm.yaml --packager deb \
			--target dist/ || exit 1; \
	done

clean:
	rm -rf bin dist web/node_modules web/dist/assets web/dist/index.html web/dist/mark.svg
