#!/bin/sh
# Everything that `make test` checks, the quick things first; with `quick` as argument those alone.
# The front end's unit tests run beside the linters. Ends with pytest's closing line.
set -eu
cd "$(dirname "$0")/.."
quick=${1:-}
[ "$quick" != quick ] || shift
bin=.venv/bin
PATH="$(tools/node.sh):$PATH"
export PATH
say() { printf '\n-- %s\n' "$1"; }
beside=$(mktemp -d)
trap 'rm -rf "$beside"' EXIT
(cd web && npm run --silent test >"$beside/unit.log" 2>&1; echo $? >"$beside/unit") &
say "lint and format (Python)"
$bin/ruff check --quiet .
$bin/ruff format --check --quiet .
say "types (Python)"
$bin/mypy --no-error-summary
say "import contracts"
$bin/lint-imports --no-cache >"$beside/imports.log" || { cat "$beside/imports.log"; exit 1; }
cd web
say "API types and forms are fresh"
../$bin/python ../tools/forms.py | cmp -s - src/api/generated/forms.json || {
  ../$bin/python ../tools/forms.py >src/api/generated/forms.json
  echo "web/src/api/generated/forms.json was stale; it is made anew now: commit it" >&2
  exit 1
}
../$bin/python ../tools/openapi.py >openapi.json
cp src/api/generated/schema.d.ts "$beside/before.d.ts"
npm run --silent generate >/dev/null
cmp -s "$beside/before.d.ts" src/api/generated/schema.d.ts || {
  echo "web/src/api/generated/schema.d.ts was stale; it is made anew now: commit it" >&2
  exit 1
}
say "types, lint and format (TypeScript)"
npm run --silent types
npm run --silent lint
cd ..
say "unit tests (TypeScript)"
wait
tail -n 6 "$beside/unit.log"
[ "$(cat "$beside/unit")" = 0 ] || { cat "$beside/unit.log"; exit 1; }
[ "$quick" != quick ] || exit 0
say "tests"
$bin/pytest -n 2 --dist loadgroup -m "not prove" "$@"
