#!/bin/sh
# Everything that `make test` checks, the quick things first; with `quick` as argument those alone.
# Ends with pytest's closing line.
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
of_python() {
  say "lint and format (Python)"
  $bin/ruff check --quiet .
  $bin/ruff format --check --quiet .
  say "types (Python)"
  $bin/mypy --no-error-summary
  say "import contracts"
  $bin/lint-imports --no-cache >"$beside/imports.log" || { cat "$beside/imports.log"; exit 1; }
}
of_the_page() {
  say "API types, forms and currencies are fresh"
  $bin/python -m tools.forms --check
  cd web
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
  say "unit tests (TypeScript)"
  timeout 300 npm run --silent test
}
# Side by side, on a core each; what the first says is shown when both have ended.
(of_python) >"$beside/python.log" 2>&1 &
python=$!
(of_the_page) &
page=$!
failed=0
wait "$page" || failed=1
wait "$python" || failed=1
cat "$beside/python.log"
[ "$failed" = 0 ] || exit 1
[ "$quick" != quick ] || exit 0
say "tests"
# Three at a time: on two cores they wait for servers and browsers a quarter of it.
$bin/pytest -n 4 --dist loadgroup -m "not prove" "$@"
