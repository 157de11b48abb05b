#!/bin/sh
# Builds the wheel in build/wheel: the page inside the package, the manual page beside it.
set -eu
cd "$(dirname "$0")/.."
rm -rf build/wheel
mkdir -p build/wheel/tree/man
cp -r pyproject.toml README.md LICENSE build/wheel/tree/
cp -r kavrel build/wheel/tree/kavrel
find build/wheel/tree -name __pycache__ -prune -exec rm -rf {} +
cp -r web/dist build/wheel/tree/kavrel/page
.venv/bin/python -m tools.man >build/wheel/tree/man/kavrel.1
cat >>build/wheel/tree/pyproject.toml <<'END'

[tool.setuptools.data-files]
"share/man/man1" = ["man/kavrel.1"]
END
.venv/bin/python -m pip wheel -q --no-deps --no-build-isolation -w build/wheel/dist build/wheel/tree
rm -rf build/wheel/tree
ls build/wheel/dist/*.whl
