"""How far something long is: a share and a word, heard by whoever waits, who says whether to go on."""

from collections.abc import Callable

Tell = Callable[[float, str], bool]


class Stopped(Exception):
    """Raised where whoever waits said no, and there is no half answer."""


def nobody(share: float, word: str) -> bool:
    """Nobody waits: it goes on."""
    return True


def or_stop(tell: Tell) -> Tell:
    """The same, but Stopped is raised when it says no."""

    def heard(share: float, word: str) -> bool:
        if not tell(share, word):
            raise Stopped
        return True

    return heard
