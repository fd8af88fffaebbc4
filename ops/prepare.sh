# Set-up shared by ./start, ./test and ./check: Debian's packages, the virtual environment, Python's packages.
# Sourced from the root of the clone with `set -euo pipefail`. Sets nothing but the functions below.

began=$(date +%s.%N)
since() { awk -v a="$1" -v b="$(date +%s.%N)" 'BEGIN { printf "%.1f s", b - a }'; }

find_python() {
  local one
  for one in python3.11 python3; do
    if command -v "$one" >/dev/null && "$one" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null; then
      echo "$one"; return 0
    fi
  done
  echo "Python 3.11 is needed: on Debian 12 it is the package python3" >&2; return 1
}

# need_debian WORD PROBE PACKAGE...: installs the packages when the probe fails; without root it says the line and stops.
missing_packages=()
need_debian() { local probe=$1; shift; if ! bash -c "$probe" >/dev/null 2>&1; then missing_packages+=("$@"); fi; }

install_debian() {
  [ ${#missing_packages[@]} -gt 0 ] || return 0
  if [ "$(id -u)" != 0 ]; then
    echo "Some of Debian's packages are missing. Run this line, then the same command again:" >&2
    echo "  sudo apt-get update && sudo apt-get install -y --no-install-recommends ${missing_packages[*]}" >&2
    exit 1
  fi
  local from; from=$(date +%s.%N)
  echo "installing from Debian: ${missing_packages[*]}"
  mkdir -p var
  # A new cluster of the machine's own is not wanted: ours is private.
  if ! { apt-get update && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing_packages[@]}"; } </dev/null >var/debian.log 2>&1; then
    tail -n 5 var/debian.log >&2; echo "apt-get failed; all it said is in var/debian.log" >&2; exit 1
  fi
  echo "Debian's packages: $(since "$from")"
}

# install_python LOCK...: makes .venv and brings it to the lock files; does nothing when it is there already.
install_python() {
  local python from stamp sum
  python=$(find_python)
  sum=$(cat "$@" pyproject.toml ops/uv.txt | sha256sum | cut -c1-32)
  stamp=.venv/orvix-$(printf '%s' "$*" | tr -c 'a-z\n' '-').stamp
  if [ -x .venv/bin/python ] && [ "$(cat "$stamp" 2>/dev/null)" = "$sum" ]; then return 0; fi
  from=$(date +%s.%N)
  if ! .venv/bin/python -c 'import pip' 2>/dev/null; then rm -rf .venv; "$python" -m venv .venv; fi
  echo "virtual environment: $(since "$from")"
  from=$(date +%s.%N)
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r ops/uv.txt
  # The machine's own certificates, where it has them, may know more than those that come with uv.
  local lock locks=() certificates=()
  if [ -f /etc/ssl/certs/ca-certificates.crt ]; then certificates=(--system-certs); fi
  for lock in "$@"; do locks+=(-r "$lock"); done
  VIRTUAL_ENV=$PWD/.venv .venv/bin/uv pip install --quiet --compile-bytecode "${certificates[@]}" --require-hashes "${locks[@]}"
  VIRTUAL_ENV=$PWD/.venv .venv/bin/uv pip install --quiet --no-deps --no-build-isolation -e .
  # Else a command waits up to two seconds, each time where Python may not write beside its sources.
  .venv/bin/python -m compileall -q src
  echo "$sum" > "$stamp"
  echo "Python packages: $(since "$from")"
}

# install_npm: what checks the pages' scripts, as package-lock.json has it; does nothing when it is there already.
install_npm() {
  local sum stamp=node_modules/orvix.stamp from
  sum=$(cat package.json package-lock.json | sha256sum | cut -c1-32)
  if [ "$(cat "$stamp" 2>/dev/null)" = "$sum" ]; then return 0; fi
  from=$(date +%s.%N)
  mkdir -p var
  # With scripts left out nothing is fetched that the lock does not name.
  if ! npm ci --ignore-scripts --no-audit --no-fund </dev/null >var/npm.log 2>&1; then
    tail -n 5 var/npm.log >&2; echo "npm ci failed; all it said is in var/npm.log" >&2; exit 1
  fi
  echo "$sum" > "$stamp"
  echo "npm's packages: $(since "$from")"
}

need_debian 'ls /usr/lib/postgresql/*/bin/initdb' postgresql
need_debian 'command -v psql' postgresql-client
need_debian "$(find_python 2>/dev/null || echo python3) -c 'import ensurepip'" python3-venv
need_debian 'ls /usr/share/fonts/truetype/noto/NotoNaskhArabic-Regular.ttf' fonts-noto-core
need_debian 'ls /usr/share/fonts/truetype/noto/NotoColorEmoji.ttf' fonts-noto-color-emoji
