#!/usr/bin/env bash
# Throws the demo's data away.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
. "$root/scripts/postgres.sh"
data=$root/.data/demo
if [ -d "$data" ]; then
  place=$(pg_place "$data/postgres")
  if pg_as "$pg_bin/pg_ctl" -D "$place/data" status >/dev/null 2>&1; then
    echo "The demo is running. Stop it with Ctrl-C first." >&2
    exit 1
  fi
  rm -rf "$place" "$data"
fi
