"""sh -c: the few scripts that lab-job has run on a box, known word for word; no shell is behind it."""

from kavrel.formats.hostside import lab_job
from kavrel.rig.box import Box
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.tools.btrfs import btrfs, point_at
from kavrel.rig.tools.folders import point_folder, put

CATCH = 'umask 077; exec cat > "$1"'


def sh(box: Box, words: list[str], stdin: bytes) -> Said:
    """Sh -c SCRIPT sh WORD..."""
    script, given = (words[1], words[3:]) if words[:1] == ["-c"] else ("", [])
    if script == CATCH:
        return put(box, given[0], stdin)
    if script == lab_job.LOOK:
        return _points(box, given[0])
    if script == lab_job.SOME:
        return _some(box, given[0], int(given[1]))
    return failed("sh: 1: the stand-in knows no scripts but those of lab-job", 126)


def _points(box: Box, folder: str) -> Said:
    point = point_at(box, f"{folder}/lab-")
    names = [n for n in point[0].points if n.startswith("lab-")] if point else []
    out = b"".join(btrfs(box, ["subvolume", "show", f"{folder}/{n}"], b"").out for n in names)
    return Said(0, out)


def _some(box: Box, folder: str, most: int) -> Said:
    """Any few files, as find and shuf take them; the smallest ones here: they can be read whole."""
    files = point_folder(box, folder)
    if files is None:
        data, name = box.find(folder)
        files = box.current(data).below(name)
    some = sorted((f.size, n) for n, f in files.items() if f.size)[:most]
    return lines(*(f"{size} {files[n].mtime:.10f} {n}" for size, n in some))
