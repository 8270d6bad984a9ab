# Yarvek. Needs Go, git and make; `make test` installs Chromium by itself.
GO ?= go
# Paths that don't name this folder: the same source is compiled once, wherever its copy lies.
export GOFLAGS := $(GOFLAGS) -trimpath

# What takes long in the core, and is left to make test.
SLOW = Noticed|Climb|Halves|ManyHeights|NumberOfProcessors|OfOneAnother|StepsShow|MakeLadders|ComesBackAsALadder|ByHandAreJudged|LargeMeshesWait|EveryRemedy|Yardstick|WellKnown|ManyParts|ANewRevision|LODs|OddMeshes|ImperfectMeshes|BodiesAround|PlacesAndNames|TakeTheirTime|EditsByHand|EveryProperty|EveryCorner|WhenThatIsAskedFor|MemoryIs|CantBeHad|TheLimitIs|AreSheets|IsSolved|Ladder|Doorway|RoundThings|Hull|Arrives|Bak|Damaged|PassagesStay|Capsules|Mirrored|RoundTrip

.PHONY: demo build test quick race mutate bench fuzz soak trial trial-windows firefox docs screenshots dist trial-dist

demo: build ## builds and starts Yarvek with the demo kit
	./bin/yarvek demo

build:
	$(GO) build -o bin/yarvek ./cmd/yarvek

test: ## everything: format, vet, staticcheck, unit, browser and interop tests
	tools/need-chromium.sh
	@fmt=$$(gofmt -l cmd core docs examples internal e2e soak tools); if [ -n "$$fmt" ]; then echo "not formatted by gofmt:"; echo "$$fmt"; exit 1; fi
	$(GO) vet ./...
	GOOS=windows $(GO) vet ./internal/disk
	GOOS=darwin $(GO) vet ./internal/disk
	$(GO) tool staticcheck ./...
	$(GO) test -short -vet=off -timeout 20m ./...

quick: ## the core alone, without the browser: what one runs while writing
	$(GO) test -short -skip '$(SLOW)' ./core/...

mutate: ## small faults put into a package, and which of them its tests do not see: make mutate PKG=./core/process/mend
	$(GO) run ./tools/mutate $(PKG)

race: ## the race detector over everything but the browser tests
	$(GO) test -race -timeout 30m ./core/... ./internal/... ./cmd/...

bench: ## the figures quoted in docs/speed.md
	$(GO) test -run '^$$' -bench . -benchtime 3x ./core/... ./internal/...

fuzz: ## a million executions of each reader
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/obj
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/gltf
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/fbx
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/collada
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/ply
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/stl
	$(GO) test -run '^$$' -fuzz FuzzRead -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/usd
	$(GO) test -run '^$$' -fuzz FuzzCrate -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/usd
	$(GO) test -run '^$$' -fuzz FuzzDecode -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/draco
	$(GO) test -run '^$$' -fuzz FuzzDecode -fuzztime 1000000x -fuzzminimizetime 10x ./core/format/meshopt
	$(GO) test -run '^$$' -fuzz FuzzTGA -fuzztime 1000000x ./core/picture
	$(GO) test -run '^$$' -fuzz FuzzMake -fuzztime 200000x ./core/picture/texture
	$(GO) test -run '^$$' -fuzz FuzzEncode -fuzztime 200000x ./core/picture/webp
	$(GO) test -run '^$$' -fuzz FuzzClean -fuzztime 1000000x ./core/format/bundle
	$(GO) test -run '^$$' -fuzz FuzzParse -fuzztime 200000x ./core/prep
	$(GO) test -run '^$$' -fuzz FuzzDecide -fuzztime 1000000x ./core/prep
	$(GO) test -run '^$$' -fuzz FuzzUnmarshal -fuzztime 1000000x ./core/strict
	$(GO) test -run '^$$' -fuzz FuzzMark -fuzztime 200000x ./internal/guide
	$(GO) test -run '^$$' -fuzz FuzzAlong -fuzztime 200000x ./internal/work

soak: ## the long trials that docs/reliability.md quotes: heavy files, kills, faults of the disk, load
	YARVEK_SOAK=1 $(GO) test -v -count 1 -timeout 60m ./soak

trial: ## five minutes of the long trials; all tests at their full size; a thousand exports judged by independent loaders
	YARVEK_SOAK=brief $(GO) test -v -count 1 -timeout 20m ./soak
	tools/need-chromium.sh
	$(GO) test -timeout 40m ./...
	YARVEK_TRIAL=1000 $(GO) test -v -count 1 -timeout 30m -run TestCertificatesAgainstLoaders ./e2e
	tools/trial-batch.sh
	tools/yardstick.sh
	YARVEK_SOAK=brief YARVEK_YARDSTICK=$(CURDIR)/build/yardstick $(GO) test -v -count 1 -run Reference ./soak

trial-windows: ## the Windows program under Wine: a walk, kills, a second start
	GO=$(GO) tools/trial-windows.sh

firefox: build ## every page in Firefox, as pictures in build/firefox to be looked at
	tools/firefox.sh

dist: ## what is given out, in build/dist: a program for each system, archives, Debian packages, licences, sums
	GOFLAGS= $(GO) -C tools/dist run . $(CURDIR) $(CURDIR)/build/dist

trial-dist: ## that twice, in other folders and without what was compiled before: the same bytes; an archive is walked
	GO=$(GO) tools/trial-dist.sh

docs: ## renews what is made of the program: the schema of a prep, and the guide's tables of decisions
	$(GO) run ./tools/docs

screenshots: ## renews docs/screenshots from the demo kit
	YARVEK_SCREENSHOTS=$(CURDIR)/docs/screenshots $(GO) test -count 1 -run TestScreenshots ./e2e
	YARVEK_EXAMPLE_PICTURES=$(CURDIR)/docs/example $(GO) test -count 1 -run TestTheWorkedExample ./e2e
