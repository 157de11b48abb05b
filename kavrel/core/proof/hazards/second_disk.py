"""A second disk dies while the first is being rebuilt, in the worst place."""

from kavrel.core.proof.hazards.hazard import Hazard
from kavrel.core.proof.hazards.one_disk import disks_die

SECOND_DISK = Hazard(
    "second_disk",
    "second disk during rebuild",
    "second disk",
    "A second disk of the same group dies before the first is rebuilt.",
    lambda s, d: disks_die(s, d, 2),
    lifetimes="disks age and die one by one, by their rates; a batch dies closer together",
    on_sheet="pool",
)
