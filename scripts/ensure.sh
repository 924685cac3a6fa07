#!/usr/bin/env bash
# Installs what is missing. Sourced by the commands in bin/; each function does nothing when its thing is there.
# shellcheck shell=bash
ROOT="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
say() { printf '%s\n' "$*" >&2; }

ensure_node() {
  command -v node >/dev/null 2>&1 || { say "Node.js 20 is needed: install the package nodejs (20 or later)."; exit 1; }
  local major; major="$(node -p 'process.versions.node.split(".")[0]')"
  [ "$major" -ge 20 ] || { say "Node.js 20 or later is needed; this is $(node --version)."; exit 1; }
}

# lock_of NAME: one lock a checkout and a person
lock_of() { printf '%s/mesure-%s-%s-%s.lock' "${TMPDIR:-/tmp}" "$1" "$(id -u)" "$(printf %s "$ROOT" | cksum | cut -d' ' -f1)"; }

# in_turn COMMAND…: of two commands that are started at once the second one waits while the first one builds
in_turn() {
  local code=0
  exec 8>"$(lock_of build)"
  if command -v flock >/dev/null 2>&1; then flock 8; fi
  "$@" 8>&- || code=$?
  exec 8>&-
  return "$code"
}

# npm ci when node_modules is missing or older than the lock file. Two commands may be started at once: the second one waits for the first
ensure_packages() {
  ensure_node
  packages_are_there && return 0
  exec 9>"$(lock_of install)"
  if command -v flock >/dev/null 2>&1 && ! flock -n 9; then
    say "Another command is installing the packages; waiting for it …"
    flock 9
  fi
  if ! packages_are_there; then
    say "Installing packages (about two minutes the first time) …"
    (cd "$ROOT" && npm ci --no-audit --no-fund --loglevel=error >&2 9>&-) || { say "npm ci failed; the lines above say why."; exit 1; }
    cp "$ROOT/package-lock.json" "$ROOT/node_modules/.mesure-installed"
  fi
  exec 9>&-
}
packages_are_there() { cmp -s "$ROOT/package-lock.json" "$ROOT/node_modules/.mesure-installed"; }

# ensure_debian COMMAND-OR-FILE PACKAGE: apt where it may, else a clear line of what to install
ensure_debian() {
  local probe="$1" package="$2"
  if command -v "$probe" >/dev/null 2>&1 || compgen -G "$probe" >/dev/null; then return 0; fi
  local sudo=""
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then sudo="sudo -n"; else
      say "$package is needed. Install it with:  sudo apt-get install $package"; exit 1
    fi
  fi
  command -v apt-get >/dev/null 2>&1 || { say "$package is needed and apt-get is not here; install it by hand."; exit 1; }
  say "Installing $package …"
  export DEBIAN_FRONTEND=noninteractive
  $sudo apt-get install -y --no-install-recommends "$package" >/dev/null 2>&1 ||
    { $sudo apt-get update >/dev/null 2>&1 && $sudo apt-get install -y --no-install-recommends "$package" >/dev/null 2>&1; } ||
    { say "$package could not be installed. Try:  apt-get update && apt-get install $package"; exit 1; }
}

ensure_postgres() { ensure_debian '/usr/lib/postgresql/*/bin/initdb' postgresql; }
ensure_ffmpeg() { ensure_debian ffprobe ffmpeg; }
ensure_chromium() { ensure_debian chromium chromium; }
# a test's phone takes the authority's certificate into its store with it
ensure_certutil() { ensure_debian certutil libnss3-tools; }
