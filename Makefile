# make demo   set up, build and start with the demo studio     http://127.0.0.1:8420
# make test   set up, build and run everything that is checked
SHELL := bash
.PHONY: demo demo-reset serve test bench accuracy pose-accuracy film-accuracy beats beat-tracks beat-fresh screenshots build web format install types

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	touch $@

web/dist/index.html: web/node_modules/.package-lock.json web/index.html web/vite.config.ts \
  $(shell find web/src web/public -type f)
	cd web && npm run --silent build

web: web/dist/index.html

build: web
	cargo build --locked -p upright-pair

install:
	scripts/install.sh run

demo: install build
	UPRIGHT_PROFILE=demo scripts/serve.sh --demo

demo-reset:
	scripts/reset-demo.sh
	$(MAKE) demo

serve: install build
	scripts/serve.sh

test:
	scripts/install.sh test
	scripts/test.sh

bench:
	scripts/models.sh
	cargo bench --locked -p upright-core -p upright-studio -p upright-pose

# Draws fresh simulated takes, compares what is solved with what is true, renews docs/accuracy.md and
# fails where a target is missed.
accuracy:
	cargo run --locked -p upright-studio --example accuracy -- --bodies 1200 --findings 960 --write docs/accuracy.md

# The pose networks on rendered couples whose landmarks are known.
pose-accuracy:
	scripts/models.sh
	cargo run --locked -p upright-pose --example pose_accuracy -- --takes 24

# The networks on film of real people, fetched into target for measuring only.
film-accuracy:
	scripts/models.sh
	scripts/film.py target/film
	cargo run --locked -p upright-pose --example film_accuracy -- target/film

# The beat tracker on simulated music, easy and hard; fails below the targets.
beats:
	cargo run --locked -p upright-studio --example beats -- --takes 240

# The same on real music with known beats: tracker modules of Debian's game packages, fetched into target.
beat-tracks:
	scripts/beat-tracks.py target/beat-tracks
	cargo run --locked -p upright-studio --example beats -- --tracks target/beat-tracks/tracks.json

# The same with tracks that were not listened to until late.
beat-fresh:
	scripts/beat-tracks.py target/beat-fresh --fresh
	cargo run --locked -p upright-studio --example beats -- --tracks target/beat-fresh/tracks.json

# Takes docs/screenshots anew from the demo studio, in a browser without a window.
screenshots: build
	scripts/install.sh test
	UPRIGHT_SCREENSHOTS=$(CURDIR)/docs/screenshots scripts/with-postgres.sh \
	  cargo test --locked -p upright-e2e --test screenshots -- --ignored --nocapture

# The OpenAPI document, the TypeScript types made from it and the schemas of exchanged files.
types: web/node_modules/.package-lock.json
	mkdir -p docs/formats
	cargo run --quiet --locked -p upright-pair -- openapi > docs/formats/openapi.json
	cargo run --quiet --locked -p upright-pair -- chart schema > docs/formats/chart.schema.json
	cargo run --quiet --locked -p upright-pair -- truth-schema > docs/formats/truth.schema.json
	cargo run --quiet --locked -p upright-pair -- take-schema > docs/formats/take.schema.json
	cd web && npm run --silent types

format:
	cargo fmt --all
	cd web && npm run --silent format
