#!/usr/bin/env bash
# Starts the application on its own data: `serve.sh` or `serve.sh --demo`.
# PORT, UPRIGHT_DATA, DATABASE_URL and UPRIGHT_BLOBS as in the README.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
. "$root/scripts/postgres.sh"
export UPRIGHT_DATA=${UPRIGHT_DATA:-$root/.data/${UPRIGHT_PROFILE:-studio}}
export UPRIGHT_MODELS=${UPRIGHT_MODELS:-$root/models/files}
export UPRIGHT_WEB=${UPRIGHT_WEB:-$root/web/dist}
mkdir -p "$UPRIGHT_DATA"
if [ -z "${DATABASE_URL:-}" ]; then
  trap 'pg_stop "$UPRIGHT_DATA/postgres"' EXIT
  pg_start "$UPRIGHT_DATA/postgres"
  export DATABASE_URL=$PG_URL
fi
"$root/target/debug/upright-pair" serve "$@" &
server=$!
# Ctrl-C reaches the server as well; wait for it to end before the database does.
trap 'kill -TERM $server 2>/dev/null || true' INT TERM
status=0
wait $server || status=$?
while kill -0 $server 2>/dev/null; do
  status=0
  wait $server || status=$?
done
exit $status
