#!/bin/sh
# Everything that `make test` checks, the quick things first; with `quick` as argument those alone.
# Ends with pytest's closing line.
set -eu
cd "$(dirname "$0")/.."
quick=${1:-}
[ "$quick" != quick ] || shift
bin=.venv/bin
say() { printf '\n-- %s\n' "$1"; }
say "lint and format (Python)"
$bin/ruff check --quiet .
$bin/ruff format --check --quiet .
say "types (Python)"
$bin/mypy --no-error-summary
say "import contract"
$bin/lint-imports --no-cache >.lint-imports.log || { cat .lint-imports.log; exit 1; }
rm -f .lint-imports.log
PATH="$(tools/node.sh):$PATH"
export PATH
cd web
say "API types and forms are fresh"
../$bin/python ../tools/forms.py | cmp -s - src/api/generated/forms.json || {
  ../$bin/python ../tools/forms.py >src/api/generated/forms.json
  echo "web/src/api/generated/forms.json was stale; it is made anew now: commit it" >&2
  exit 1
}
../$bin/python ../tools/openapi.py >openapi.json
cp src/api/generated/schema.d.ts openapi.before
npm run --silent generate >/dev/null
cmp -s openapi.before src/api/generated/schema.d.ts || {
  rm openapi.before
  echo "web/src/api/generated/schema.d.ts was stale; it is made anew now: commit it" >&2
  exit 1
}
rm openapi.before
say "types, lint and format (TypeScript)"
npm run --silent types
npm run --silent lint
say "unit tests (TypeScript)"
npm run --silent test
cd ..
[ "$quick" != quick ] || exit 0
say "tests"
exec $bin/pytest -n 2 --dist loadgroup -m "not prove" "$@"
