#!/usr/bin/env bash
# Installs what is missing of Debian's packages. `install.sh run` for the application,
# `install.sh test` also for the browser tests. Uses root for apt only; asks through sudo otherwise.
set -euo pipefail

want=()
need() { # package, then a test that succeeds when it is there
  local package=$1
  shift
  "$@" >/dev/null 2>&1 || want+=("$package")
}
postgres_there() { compgen -G '/usr/lib/postgresql/*/bin/initdb'; }

need postgresql postgres_there
need ffmpeg command -v ffmpeg
need ffmpeg command -v ffprobe
need gcc command -v cc
need util-linux command -v setpriv
need util-linux command -v prlimit
if [ "${1:-run}" = test ]; then
  need chromium command -v chromium
  need chromium-driver command -v chromedriver
fi

if [ ${#want[@]} -gt 0 ]; then
  mapfile -t want < <(printf '%s\n' "${want[@]}" | sort -u)
  echo "Installing Debian packages: ${want[*]}"
  as_root=()
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null || { echo "Please install as root: apt-get install ${want[*]}" >&2; exit 1; }
    as_root=(sudo)
  fi
  # Two runs of apt at once break each other.
  exec 9>"${TMPDIR:-/tmp}/upright-pair-apt.lock"
  flock 9
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${want[@]}"
  flock -u 9
fi

for tool in cargo npm; do
  command -v "$tool" >/dev/null || { echo "$tool is missing: install Rust 1.95 or newer and Node 20 or newer." >&2; exit 1; }
done

"$(dirname "$0")/models.sh"
