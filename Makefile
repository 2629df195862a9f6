# make demo runs everything on made-up data, make test proves it; both install what is missing.
SHELL := /bin/bash
# The same for all that is compiled, or everything is compiled once for the binary and once more for the tests.
export GOFLAGS := -trimpath
CONSOLE_SOURCES := $(shell find console/src console/index.html console/package.json console/vite.config.ts console/public -type f 2>/dev/null)

.PHONY: demo test race build generate bench bench-lists shots clean

demo: setup build
	@exec bin/roundhouse demo

.PHONY: setup
setup:
	@scripts/setup.sh run

# The console first: it is built into the binary.
build: console/dist/index.html
	@go build -ldflags "-s -w" -o bin/roundhouse ./cmd/roundhouse

console/node_modules/.package-lock.json: console/package-lock.json
	@echo "Fetching the console's packages ..."
	@cd console && npm ci --no-audit --no-fund --silent
	@touch $@

console/dist/index.html: console/node_modules/.package-lock.json $(CONSOLE_SOURCES)
	@echo "Building the console ..."
	@cd console && npm run --silent build
	@touch console/dist/.keep $@

# One PostgreSQL serves the whole run; each test has a database of its own. RUN=TestName runs one test. Packages that
# passed are not run again while nothing they depend on has changed; AGAIN=1 runs everything.
test: build
	@scripts/setup.sh test
	@test -z "$$(gofmt -l cmd internal e2e bench console/*.go)" || { echo "gofmt would change:"; gofmt -l cmd internal e2e bench console/*.go; exit 1; }
	@go vet ./...
	@scripts/failpoints.sh
	@(cd console && npm run --silent lint > ../bin/lint.log 2>&1) & lint=$$!; \
		GOGC=1600 GOMEMLIMIT=1500MiB go run ./internal/testdb/cluster go test -vet=off -ldflags=-w $(if $(RUN),-run '$(RUN)' )$(if $(AGAIN),-count=1 )-parallel 6 -timeout 45m ./...; \
		tests=$$?; wait $$lint || { cat bin/lint.log; exit 1; }; exit $$tests

# The same under the race detector, which takes about twice as long.
race: build
	@go run ./internal/testdb/cluster go test -race -parallel 4 -timeout 30m ./...

# The contract is a file a subject; they are put together before anything is made of them.
generate: console/node_modules/.package-lock.json
	@mkdir -p bin
	@cd console && npm run --silent contract
	@go tool oapi-codegen -config api/server.gen.yaml bin/openapi.yaml
	@go tool oapi-codegen -config api/spec.gen.yaml bin/openapi.yaml
	@go tool oapi-codegen -config api/client.gen.yaml bin/openapi.yaml
	@cd console && npm run --silent types
	@go run ./internal/wordsgen

bench: build
	@go run ./internal/testdb/cluster --durable go run ./bench

# The lists and Today with a million cases, which takes some minutes more.
bench-lists: build
	@go run ./internal/testdb/cluster --durable go run ./bench lists

# Pictures of the console and the terminal, from fresh demo data.
shots: build
	@scripts/shots.sh

clean:
	@rm -rf bin console/dist/assets console/dist/index.html
