"""Two hazards at once, where they are not independent: one brings the other, or hides it.

A new pair is a line in `PAIRS`. Pairs that only meet by chance are left to the lifetimes.
"""

from collections.abc import Callable
from dataclasses import dataclass

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Hazard, Reason, Scene, State, Strike

WORST: dict[State, int] = {"stands": 0, "down": 1, "spoiled": 2, "gone": 3}


@dataclass(frozen=True)
class Pair:
    """Two hazards and what ties them together."""

    first: str
    second: str
    why: str

    @property
    def id(self) -> str:
        """Both names, joined by a plus sign."""
        return f"{self.first}+{self.second}"


PAIRS: tuple[Pair, ...] = (
    Pair("power_cut", "second_disk", "old disks die when they are switched on again, two at once"),
    Pair("power_cut", "boot_lost", "sticks and cards are spoiled by a cut in a write"),
    Pair("second_disk", "offsite_silent", "who does not see one warning does not see the other"),
    Pair("box_lost", "key_lost", "the key was kept in the box, or with it"),
    Pair("theft", "key_lost", "the note with the pass phrase lay beside the box"),
    Pair("fire", "offsite_silent", "the copy elsewhere had stopped, and only the fire shows it"),
    Pair("fire", "uplink_down", "the line burns too: everything has to be carried"),
    Pair("fire", "key_lost", "box, shelf disk and key are in the same room"),
    Pair("malware_credentials", "offsite_silent", "whoever has the box silences its alarms first"),
    Pair("malware_credentials", "cloud_closed", "the account with the provider is taken over too"),
    Pair("deleted", "offsite_silent", "nobody looked for weeks: not at the files, not at the jobs"),
    Pair("corruption", "never_tried", "a copy of spoiled files was never opened"),
)


def either(first: Reason, second: Reason) -> Reason:
    """The reason of whichever applies."""

    def both(copy: Copy) -> str | None:
        return first(copy) or second(copy)

    return both


def longer(first: Strike, second: Strike) -> Callable[[Copy], float]:
    """Of two silences of a copy the longer; one that does not concern it is none."""

    def both(copy: Copy) -> float:
        return max(
            (s.silence(copy) for s in (first, second) if s.silent_days and s.stale_copy(copy)),
            default=0.0,
        )

    return both


def combine(first: Strike, second: Strike) -> Strike:
    """What both do together: the worse state, every loss, every repair once."""
    if WORST[second.state] > WORST[first.state]:
        worse, other = second, first
    else:
        worse, other = first, second
    late = [d for d in (first.seen_after_days, second.seen_after_days) if d is not None]
    unmoved = [d for d in (first.unmoved_days, second.unmoved_days) if d is not None]
    repair = {s.text: s for s in (*other.repair, *worse.repair)}
    return Strike(
        state=worse.state,
        why=f"{first.why}; {second.why}",
        event=f"{first.event}, {second.event}",
        dies=tuple(dict.fromkeys((*first.dies, *second.dies))),
        lost_copy=either(first.lost_copy, second.lost_copy),
        stale_copy=either(first.stale_copy, second.stale_copy),
        silent_days=max(first.silent_days, second.silent_days),
        silent_for=longer(first, second),
        seen_after_days=max(late) if late else None,
        unmoved_days=max(unmoved) if unmoved else None,
        unmoved_as=max((first, second), key=lambda s: s.unmoved_days or 0.0).unmoved_as,
        strips=first.strips or second.strips,
        readable=first.readable or second.readable,
        no_link=first.no_link or second.no_link,
        repair=tuple(repair.values()),
        share_of_data=max(
            s.share_of_data for s in (first, second) if WORST[s.state] >= WORST["spoiled"]
        )
        if WORST[worse.state] >= WORST["spoiled"]
        else 1.0,
    )


def paired(pair: Pair) -> Hazard:
    """The pair as one hazard."""
    by_id = HAZARDS
    first, second = by_id[pair.first], by_id[pair.second]

    def strike(scene: Scene, dataset: Dataset) -> Strike:
        return combine(first.strike(scene, dataset), second.strike(scene, dataset))

    title = f"{first.title} + {second.title}"
    short = f"{first.short} + {second.short}"
    assumes = tuple(dict.fromkeys((*first.assumes, *second.assumes)))
    lived = f"{first.title}: {first.lifetimes}; {second.title}: {second.lifetimes}"
    return Hazard(pair.id, title, short, pair.why, strike, assumes, lifetimes=lived)


PAIRED: tuple[Hazard, ...] = tuple(paired(p) for p in PAIRS)
