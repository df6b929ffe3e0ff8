#!/usr/bin/env bash
# Installs what is missing from Debian's packages; as root, or through sudo. Does nothing when all is there.
set -euo pipefail
need=()
have() { dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q 'ok installed'; }
for p in g++ libocct-data-exchange-dev libocct-modeling-algorithms-dev libocct-modeling-data-dev libocct-foundation-dev; do
  have "$p" || need+=("$p")
done
if [ ${#need[@]} -gt 0 ]; then
  as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || { echo "setup: ${need[*]} must be installed, and neither root nor sudo is at hand" >&2; exit 1; }
    as_root=(sudo)
  fi
  echo "setup: installing ${need[*]}"
  # Two clones may set up at once.
  exec 9>"${TMPDIR:-/tmp}/goldchip-apt.lock"
  flock 9
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
  flock -u 9
fi
[ -e /usr/include/opencascade/STEPControl_Reader.hxx ] || { echo "setup: the OpenCASCADE headers are still missing" >&2; exit 1; }
command -v cargo >/dev/null || { echo "setup: cargo is missing; install Rust 1.90 or newer (rustup.rs)" >&2; exit 1; }
