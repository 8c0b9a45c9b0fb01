#!/usr/bin/env bash
# Installs what is missing and nothing else: Debian packages, a virtual environment, locked dependencies.
set -eu
cd "$(dirname "$0")/.."
UV_VERSION=$(sed -n 's/^uv==\([0-9.]*\).*/\1/p' requirements/setup.txt)
export UV_SYSTEM_CERTS=true  # as pip does: trust what this machine trusts
export VIRTUAL_ENV="$PWD/.venv"  # and not another that happens to be active

missing=()

installed() {
  dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q 'install ok installed'
}

# want WHY PACKAGE...: notes which of these Debian packages are not there.
want() {
  local why=$1 here=()
  shift
  for name in "$@"; do
    installed "$name" || here+=("$name")
  done
  [ ${#here[@]} -eq 0 ] && return 0
  echo "Needed from Debian: ${here[*]} ($why)"
  missing+=("${here[@]}")
}

# Installs all that is missing at once, or says the one command that does.
fetch() {
  [ ${#missing[@]} -eq 0 ] && return 0
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    if ! command -v sudo >/dev/null; then
      echo "Installing them needs root, and there is no sudo. Run this once as root, then again what you ran:" >&2
      echo "  apt-get update && apt-get install -y --no-install-recommends ${missing[*]}" >&2
      exit 1
    fi
    as_root=(sudo)
  fi
  "${as_root[@]}" apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive "RUNLEVEL=${RUNLEVEL:-}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

python_for_venv() {
  for name in python3.11 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info[:2] < (3, 11))'; then
      echo "$name"
      return
    fi
  done
  echo "Python 3.11 or newer is needed: apt-get install python3" >&2
  exit 1
}

environment() {
  local python
  python=$(python_for_venv)
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  .venv/bin/uv --version 2>/dev/null | grep -qF "$UV_VERSION" ||
    .venv/bin/pip install --quiet --disable-pip-version-check --require-hashes -r requirements/setup.txt
}

install() {
  environment
  .venv/bin/uv pip install --quiet --compile-bytecode --require-hashes -r "requirements/$1.txt"
  .venv/bin/uv pip install --quiet --no-deps --no-build-isolation -e .
  .venv/bin/python -m compileall -q src  # also where the machine is told to keep no compiled code: starts are quicker
  touch ".venv/$1.stamp"
}

needed_to_run() {
  local python
  python=$(python_for_venv)
  "$python" -c 'import ensurepip, venv' 2>/dev/null ||
    want "Python's module for virtual environments" python3-venv
  want "the database, as a private instance in this folder" mariadb-server-core mariadb-client
  want "what sets the pages of work cards and owner's sheets" libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0
}

# The browser without its windows does the same in half the time; where the whole one is there already, that will do.
needed_to_develop() {
  needed_to_run
  installed chromium || want "the browser that the tests drive" chromium-headless-shell
  want "what the browser's driver is linked with" libatomic1
  want "what the reference inference library is linked with" libgomp1
}

# The balancer and the nodes are started by the cluster's own command: Debian need not start any of them.
needed_to_cluster() {
  needed_to_develop
  want "the cluster that make cluster starts" galera-4 mariadb-server rsync lsof iproute2 haproxy
}

case "$1" in
  run)
    needed_to_run
    fetch
    install run
    ;;
  develop)
    needed_to_develop
    fetch
    install develop
    .venv/bin/uv pip install --quiet --no-deps --require-hashes -r requirements/reference.txt
    touch .venv/run.stamp
    ;;
  packages-run)
    needed_to_run
    fetch
    ;;
  packages-develop)
    needed_to_develop
    fetch
    ;;
  packages-cluster)
    needed_to_cluster
    export RUNLEVEL=1
    fetch
    ;;
  *) echo "setup.sh run | develop | packages-run | packages-develop | packages-cluster" >&2; exit 2 ;;
esac
