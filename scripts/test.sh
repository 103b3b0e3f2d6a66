#!/usr/bin/env bash
# Everything that is checked, in the order in which it is quickest to fail.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
cd "$root"
say() { printf '\n== %s\n' "$*"; }

say "format"
cargo fmt --all --check
[ web/node_modules/.package-lock.json -nt web/package-lock.json ] || (cd web && npm ci --no-audit --no-fund)
(cd web && npm run --silent lint)

say "front end: types and build"
(cd web && npm run --silent build)

say "types of the web interface against the API's description"
fresh=$(mktemp --suffix=.ts)
trap 'rm -f "$fresh"' EXIT
(cd web && npx --no-install openapi-typescript ../docs/formats/openapi.json -o "$fresh" >/dev/null &&
  npx --no-install prettier --config .prettierrc.json --write "$fresh" >/dev/null)
cmp "$fresh" web/src/api/schema.ts || {
  echo "web/src/api/schema.ts is out of date: run make types" >&2
  exit 1
}

say "clippy"
cargo clippy --locked --workspace --all-targets -- -D warnings

say "tests"
scripts/with-postgres.sh cargo test --locked --workspace --no-fail-fast
