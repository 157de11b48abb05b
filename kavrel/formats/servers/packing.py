"""Files in a zip whose bytes follow from the files alone."""

import io
import zipfile
from collections.abc import Mapping

# The moment in a zip is not the moment of writing: the same plan gives the same bytes.
MOMENT = (2026, 1, 1, 0, 0, 0)
RUNS, SECRET, READABLE = 0o755, 0o600, 0o644
MODES = {"setup.sh": RUNS, "lab-job": RUNS, "lab-look": RUNS}
# What somebody puts a password into: it is root's alone before that.
FILLED_IN = ("rsyncd.secrets", "target.json", "nut/upsd.users", "nut/upsmon.conf", ".env")


def packed(contents: Mapping[str, str]) -> bytes:
    """The zip of these files, by name; scripts can be run, secrets are root's alone."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as zipped:
        for name, text in contents.items():
            entry = zipfile.ZipInfo(name, MOMENT)
            entry.external_attr = (0o100000 | _mode(name)) << 16
            entry.compress_type = zipfile.ZIP_DEFLATED
            zipped.writestr(entry, text)
    return out.getvalue()


def _mode(name: str) -> int:
    return SECRET if name.endswith(FILLED_IN) else MODES.get(name, READABLE)
