# A PostgreSQL cluster of our own on loopback; sourced by the scripts beside it.
# pg_start FOLDER [postgres options]: makes the cluster in FOLDER when there is none, starts it on a
# port of its own and sets PG_URL (its `postgres` database). pg_stop FOLDER stops it.

pg_bin=$(compgen -G '/usr/lib/postgresql/*/bin' | sort -V | tail -n 1 || true)

# PostgreSQL refuses to run as root; then everything of it runs as Debian's postgres user.
pg_as() {
  if [ "$(id -u)" = 0 ]; then
    # From a folder that user can stand in.
    (cd / && exec setpriv --reuid=postgres --regid=postgres --clear-groups env -i PATH=/usr/bin:/bin HOME=/tmp LC_ALL=C.UTF-8 "$@")
  else
    "$@"
  fi
}

# Prints FOLDER, or one in /var/tmp that belongs to it when the postgres user cannot reach FOLDER.
pg_place() {
  mkdir -p "$1"
  if [ "$(id -u)" = 0 ]; then
    if ! pg_as test -x "$1" 2>/dev/null; then
      local other
      other=/var/tmp/upright-pair-$(printf %s "$1" | sha256sum | cut -c1-16)
      mkdir -p "$other"
      chown postgres:postgres "$other"
      echo "$other"
      return
    fi
    chown postgres:postgres "$1"
  fi
  echo "$1"
}

pg_start() {
  local folder port log tries=0
  folder=$(pg_place "$1")
  shift
  log=$folder/server.log
  if [ ! -f "$folder/data/PG_VERSION" ]; then
    pg_as bash -c "umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=\n' > '$folder/password'"
    pg_as "$pg_bin/initdb" -D "$folder/data" -U app -E UTF8 --locale=C.UTF-8 --auth=scram-sha-256 \
      --pwfile="$folder/password" >/dev/null
  fi
  if pg_as "$pg_bin/pg_ctl" -D "$folder/data" status >/dev/null 2>&1; then
    port=$(pg_as sed -n 4p "$folder/data/postmaster.pid")
  else
    # A port that somebody else took in the meantime only costs another try.
    until
      port=$((20000 + (RANDOM * 32768 + RANDOM) % 12000))
      pg_as "$pg_bin/pg_ctl" -D "$folder/data" -l "$log" -w -t 60 -s \
        -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' $*" start
    do
      tries=$((tries + 1))
      if [ $tries -ge 5 ]; then
        echo "PostgreSQL did not start; see $log" >&2
        return 1
      fi
    done
  fi
  PG_URL="postgres://app:$(pg_as cat "$folder/password")@127.0.0.1:$port/postgres"
}

pg_stop() {
  local folder
  folder=$(pg_place "$1")
  pg_as "$pg_bin/pg_ctl" -D "$folder/data" -s -m fast -w stop || true
}
