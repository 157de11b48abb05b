"""What is on its way from one box to another: a point, or its difference from one before it."""

from collections import OrderedDict
from dataclasses import dataclass, replace

from kavrel.core.copies.path import Place
from kavrel.rig.data import Data
from kavrel.rig.files import File

MOST = 64  # that are kept until somebody receives them


@dataclass(frozen=True)
class Stream:
    """What a send carries: a point, and the name of the one that it is the difference from."""

    name: str
    files: dict[str, File]
    created: float
    since: str
    size: int
    source: Place
    limit_mbit: float | None = None
    raw: bool = False  # its blocks as they lie, encrypted

    @classmethod
    def between(cls, data: Data, name: str, since: str, source: Place) -> "Stream":
        """A point of a dataset whole, or with `since` what is other in it than in that one."""
        point = data.points[name]
        old = data.points[since].files if since else {}
        size = sum(f.size for n, f in point.files.items() if old.get(n) is not f)
        return cls(name, point.files, point.created, since, size, source)


class Streams:
    """Streams by the token that stands for their bytes."""

    def __init__(self) -> None:
        self._known: OrderedDict[bytes, Stream] = OrderedDict()
        self._count = 0

    def put(self, stream: Stream) -> bytes:
        """Keeps one; returns its token."""
        self._count += 1
        token = str(self._count).encode()
        self._known[token] = stream
        while len(self._known) > MOST:
            self._known.popitem(last=False)
        return token

    def get(self, token: bytes) -> Stream:
        """The stream of a token. Raises KeyError."""
        return self._known[token]

    def slow(self, token: bytes, limit_mbit: float) -> None:
        """It travels no faster than that."""
        if token in self._known:
            self._known[token] = replace(self._known[token], limit_mbit=limit_mbit)
