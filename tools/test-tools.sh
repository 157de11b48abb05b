#!/bin/sh
# Installs what the tests judge with: Chromium and its driver for the interface, testparm for the
# server configuration. Debian's packages; needs root or sudo, and says so when it has neither.
set -u
missing=""
command -v chromium >/dev/null && command -v chromedriver >/dev/null || missing="chromium chromium-driver"
command -v testparm >/dev/null || missing="$missing samba-common-bin"
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then
  as_root=""
elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
  as_root="sudo"
else
  echo "Not here: $missing. Ask an administrator for: apt-get install $missing" >&2
  echo "The tests that need them will say that they were skipped." >&2
  exit 0
fi
if ! command -v apt-get >/dev/null; then
  echo "Not here: $missing, and no apt-get to install them with: their tests are skipped." >&2
  exit 0
fi
export DEBIAN_FRONTEND=noninteractive
$as_root apt-get -qq -o DPkg::Lock::Timeout=300 update &&
  $as_root apt-get -qq -y -o DPkg::Lock::Timeout=300 install --no-install-recommends $missing >/dev/null ||
  echo "Could not install: $missing. Their tests are skipped." >&2
