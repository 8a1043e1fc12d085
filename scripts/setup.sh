#!/usr/bin/env bash
# Installs what a fresh Debian machine lacks, the npm packages, and builds. Sourced or run by ./start and ./test.
# usage: scripts/setup.sh PROGRAM=PACKAGE ...   a package is installed if its program is missing
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

missing=()
for pair in "$@"; do
  command -v "${pair%%=*}" >/dev/null 2>&1 || [ -e "${pair%%=*}" ] || missing+=("${pair#*=}")
done
if [ ${#missing[@]} -gt 0 ]; then
  echo "installing ${missing[*]}"
  as_root apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "${missing[@]}" >/dev/null
fi

# The packages are installed again only when the lock file has changed.
stamp=node_modules/.mnestra-lock
if ! cmp -s package-lock.json "$stamp" 2>/dev/null; then
  npm ci --no-audit --no-fund --loglevel=error
  cp package-lock.json "$stamp"
fi
node scripts/build.mjs
