#!/usr/bin/env bash
# Installs what is missing: Debian's packages (as root, or through sudo) and the front end's npm packages. Does nothing when all is there.
set -euo pipefail
cd "$(dirname "$0")/.."
say() { echo "setup: $*"; }
die() { echo "setup: $*" >&2; exit 1; }
need=()
have() { dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q 'ok installed'; }
for p in g++ pkg-config libocct-data-exchange-dev libocct-modeling-algorithms-dev libocct-modeling-data-dev libocct-foundation-dev \
  mariadb-server libmariadb-dev chromium chromium-driver; do
  have "$p" || need+=("$p")
done
command -v node >/dev/null || need+=(nodejs)
command -v npm >/dev/null || need+=(npm)
if [ ${#need[@]} -gt 0 ]; then
  as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || die "${need[*]} must be installed, and neither root nor sudo is at hand"
    as_root=(sudo)
  fi
  say "installing ${need[*]}"
  # Two clones may set up at once.
  exec 9>"${TMPDIR:-/tmp}/goldchip-apt.lock"
  flock 9
  # Debian would start a database server of its own beside ours: not while these packages are put in.
  policy=/usr/sbin/policy-rc.d
  if [ ! -e "$policy" ]; then
    printf '#!/bin/sh\nexit 101\n' | "${as_root[@]}" tee "$policy" >/dev/null
    "${as_root[@]}" chmod +x "$policy"
    trap '"${as_root[@]}" rm -f "$policy"' EXIT
  fi
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
  flock -u 9
fi
[ -e /usr/include/opencascade/STEPControl_Reader.hxx ] || die "the OpenCASCADE headers are still missing"
command -v cargo >/dev/null || die "cargo is missing; install Rust 1.90 or newer (rustup.rs)"
node=$(node --version)
[ "$(printf '%s' "${node#v}" | cut -d. -f1)" -ge 20 ] || die "node $node is too old; install node 20 or newer"
# The lock file's mark tells whether the installed packages are those of this clone's lock.
mark=$(sha256sum web/package-lock.json | cut -d' ' -f1)
if [ "$(cat web/node_modules/.goldchip 2>/dev/null)" != "$mark" ]; then
  say "installing the front end's packages"
  (cd web && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error)
  echo "$mark" >web/node_modules/.goldchip
fi
