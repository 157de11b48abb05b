#!/bin/sh
# Makes the lock files anew: the newest versions within the bounds of pyproject.toml and package.json.
# No lock file names where packages come from; each Python one carries their hashes.
set -eu
cd "$(dirname "$0")/.."
uv=$(mktemp -d)
trap 'rm -rf "$uv"' EXIT
${PYTHON:-python3} -m venv "$uv" && "$uv/bin/pip" install -q uv
compile() {
  target=$1
  shift
  "$uv/bin/uv" pip compile -q --upgrade --universal --python-version 3.11 --generate-hashes \
    --no-header --no-annotate --no-emit-index-url --no-emit-find-links -o "$target" "$@"
}
compile requirements.txt --extra build pyproject.toml
compile requirements-test.txt --extra build --extra test pyproject.toml
sed -n 's/^node = \["\(.*\)"\]$/\1/p' pyproject.toml >"$uv/node.in"
compile requirements-node.txt "$uv/node.in"
cd web
PATH="$(../tools/node.sh):$PATH"
npm install --silent --package-lock-only --no-fund --no-audit
cd ..
if grep -lE "https?://" requirements*.txt || grep -l '"resolved"' web/package-lock.json; then
  echo "a lock file names a host: see above" >&2
  exit 1
fi
