#!/usr/bin/env bash
# Runs a command with a throw-away PostgreSQL cluster; its address is in UPRIGHT_TEST_DATABASE.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
. "$here/postgres.sh"
folder=$(mktemp -d /tmp/upright-test-XXXXXX)
chmod 755 "$folder"
end() {
  pg_stop "$folder/pg" 2>/dev/null || true
  rm -rf "$folder"
}
trap end EXIT
pg_start "$folder/pg" -c fsync=off -c full_page_writes=off -c synchronous_commit=off -c max_connections=200
UPRIGHT_TEST_DATABASE=$PG_URL "$@"
