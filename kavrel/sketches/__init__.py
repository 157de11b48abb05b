"""Sketches: labs to start from. One file each, and a line here."""

from kavrel.core.plan import Plan
from kavrel.core.registry import Registry
from kavrel.sketches.board import BOARD
from kavrel.sketches.fast_tier import FAST_TIER
from kavrel.sketches.four_bays import FOUR_BAYS
from kavrel.sketches.hypervisor import HYPERVISOR
from kavrel.sketches.old_desktop import OLD_DESKTOP
from kavrel.sketches.router_disk import ROUTER_DISK
from kavrel.sketches.sketch import AnswerError, Answers, Said, Sketch
from kavrel.sketches.two_bays import TWO_BAYS

SKETCHES: Registry[Sketch] = Registry(
    (ROUTER_DISK, BOARD, TWO_BAYS, FOUR_BAYS, OLD_DESKTOP, HYPERVISOR, FAST_TIER)
)


def draw(sketch: str, answers: Answers) -> Plan:
    """The plan of a sketch with these answers; raises AnswerError and KeyError."""
    return SKETCHES[sketch].draw(Said(SKETCHES[sketch], answers))


__all__ = ["SKETCHES", "AnswerError", "Answers", "Sketch", "draw"]
