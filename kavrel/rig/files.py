"""Files as the rig keeps them: a size, a mark that stands for the content, and when it was written."""

import hashlib
from dataclasses import dataclass
from functools import lru_cache

# A file in every dataset whose content is the moment up to which people have worked.
CLOCK = ".worked-until"
ARCHIVE = "archive"  # what nobody has touched for long, in one file
READ_WHOLE = 64 * 1024  # bytes; only of files up to that is there content to be read


@dataclass(frozen=True, slots=True, eq=False)
class File:
    """One version of a file. `mark` stands for its content; `sound` is false once something spoiled it."""

    size: int
    mark: str
    mtime: float
    sound: bool = True

    @property
    def content(self) -> bytes:
        """Its bytes, of small files; of a large one those that it begins with."""
        return _content(self.mark, min(self.size, READ_WHOLE))

    def spoiled(self, moment: float, size: int | None = None) -> "File":
        """The file after something wrote rubbish over it."""
        return File(self.size if size is None else size, f"rubbish {self.mark}", moment, False)


@lru_cache(maxsize=256)
def _content(mark: str, size: int) -> bytes:
    if mark.startswith("="):  # text that somebody wrote
        return mark[1:].encode()
    seed = hashlib.sha256(mark.encode()).digest()
    return (seed * (size // len(seed) + 1))[:size]


def text_file(text: str, moment: float) -> File:
    """A file with this text."""
    return File(len(text.encode()), f"={text}", moment)


def worked_until(files: "dict[str, File]") -> float | None:
    """The moment up to which a state has people's work, by its content; None where it is not to be had."""
    clock = files.get(CLOCK)
    if clock is None or not clock.sound or not clock.mark.startswith("="):
        return None
    return float(clock.mark[1:])


def sound(files: "dict[str, File]") -> bool:
    """Whether every file can still be read as what it was."""
    return all(f.sound for f in files.values())
