"""The recipes of CONTRIBUTING.md, replayed: each diff applies to the tree and does what it says."""

import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent
# Heading, and a line of Python that uses what the recipe adds.
RECIPES = {
    "A layout family": "from kavrel.core.pools.options import layouts; from tests.builders import *;"
    "assert any(x.family == 'two_spans' for x in layouts(facts(4000, 4000), None, CONDITIONS))",
    "A kind of job": "from tests.builders import *;"
    "p = lab(jobs=(job('t', 'tape', target_disk='loose9'),));"
    "assert any(j.title == 'tape' for j in result(p).jobs)",
    "A hazard": "from tests.builders import *; assert cell(lab(), 'water').fate == 'lost'",
    "A caution": "from tests.builders import *; p = lab();"
    "hosts = (p.hosts[0].model_copy(update={'name': 'nas'}), *p.hosts[1:]);"
    "assert 'nameless_box' in rules(p.model_copy(update={'hosts': hosts}))",
    "A protocol": "from kavrel.core.forms import form;"
    "f = next(f for f in form('exports').fields if f.name == 'protocol');"
    "assert 'webdav' in [c.value for c in f.choices]",
    "A listing of machines": "from tests.formats.looks.machines import look;"
    "from kavrel.formats.looks.read import read_look;"
    "r = read_look(look('x', ('nproc', 'nproc', '8')), 0); assert r.heard[0].understood == 1",
    "A reader": "from kavrel.formats.readers import read_file; from tests.builders import *;"
    "p = lab(); h = p.hosts[0].model_copy(update={'addressing': 'static', 'address': '10.0.0.2'});"
    "p = p.model_copy(update={'hosts': (h, *p.hosts[1:])});"
    "assert read_file('hosts', b'10.0.0.9 box\\n', p, 'box').differences",
}


def recipe(title: str) -> str:
    text = (ROOT / "CONTRIBUTING.md").read_text()
    found = re.search(rf"### {title}\n.*?```diff\n(.*?)```", text, re.DOTALL)
    assert found, title
    return found.group(1)


@pytest.mark.parametrize("title", RECIPES)
def test_each_recipe_is_all_that_it_takes(title: str, tmp_path: Path) -> None:
    for part in ("kavrel", "tests"):
        shutil.copytree(
            ROOT / part, tmp_path / part, ignore=shutil.ignore_patterns("__pycache__", "outside")
        )
    diff = recipe(title)
    assert len(re.findall(r"^\+\+\+ ", diff, re.MULTILINE)) == 2  # a file of its own, and a line
    subprocess.run(
        ("git", "apply", "--unidiff-zero", "-"), input=diff, text=True, cwd=tmp_path, check=True
    )
    command = (sys.executable, "-P", "-c", f"import sys; sys.path.insert(0, '.'); {RECIPES[title]}")
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
