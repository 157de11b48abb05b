"""The script lab-look, which prints what a machine's own tools say: the same for every host."""

from importlib.resources import files


def look_script() -> str:
    """The script, as it is put on every host."""
    return (files("kavrel.formats.hostside") / "lab_look.py").read_text(encoding="utf-8")
