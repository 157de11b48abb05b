"""UPS: who has its cable, who is told of a cut, and when they stop.

The first host that is told and fed, and takes files, has the cable: it asks the UPS, waits, and then
tells the others, who stop before it does. Sources: ups.conf(5), upsd.conf(5), upsmon.conf(5),
upssched.conf(5) of Network UPS Tools 2.8.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.bench.stopping import cable, others, waits_seconds
from kavrel.core.index import Index
from kavrel.core.plan import Host, Supply
from kavrel.core.shares.names import slug
from kavrel.core.shares.protocols.protocol import Service
from kavrel.core.typed import typed
from kavrel.core.works.services import ServiceRuns

PORT = 3493
FOLDER = "/etc/nut"
# Common practice, no source.
TRIED = (
    "Try it before anything that matters is on it: switch its socket off (a pulled plug would take the earth "
    "away, too); all that it feeds stop in time, and come back when it is on again."
)
RIGHTS = f"chown root:nut {FOLDER}/*; chmod 640 {FOLDER}/*"
WATCHING = ("nut.conf", "upsmon.conf", "upssched.conf", "upssched-cmd")
WITH_CABLE = (*WATCHING, "ups.conf", "upsd.conf", "upsd.users")


@dataclass(frozen=True)
class Watched:
    """A UPS as a host sees it. `at`: where it is asked; `mine`: this host has the cable."""

    supply: Supply
    name: str
    at: str
    mine: bool
    others: tuple[str, ...]  # ids of the hosts that are told by this one

    @property
    def here(self) -> str:
        """Its name in the files of this host. Source: upsmon.conf(5), an IPv6 address in brackets."""
        return f"{self.name}@[{self.at}]" if ":" in self.at else f"{self.name}@{self.at}"

    @property
    def delay_seconds(self) -> int:
        """From the cut to the moment at which hosts are told to stop."""
        return round(self.supply.delay_minutes * 60)


@dataclass(frozen=True)
class PowerWatched(ServiceRuns):
    """A host that stops in time. `waits_seconds`: for those that it tells, before it stops itself."""

    fields = ("supplies.signals", "supplies.delay_minutes")

    watched: tuple[Watched, ...]
    waits_seconds: int


def power_works(index: Index, host: str) -> Iterator[PowerWatched]:
    """The one for a host that is told by any UPS; none for others."""
    told = [s for s in index.plan.supplies if host in s.signals]
    if not told:
        return
    box = index.hosts[host]
    watched = []
    for supply in told:
        keeper = cable(index, supply)
        mine = keeper == host
        tells = others(index, supply) if mine else ()
        at = "localhost" if mine or keeper is None else meeting(box, index.hosts[keeper]).at
        watched.append(Watched(supply, slug(supply.name, supply.id), at, mine, tells))
    names = WITH_CABLE if any(w.mine for w in watched) else WATCHING
    told_by_it = tuple(h for w in watched for h in w.others)
    cabled = [w.supply.name for w in watched if w.mine]
    yield PowerWatched(
        key="service/ups",
        what=f"stopping in time on {box.name}",
        makes=tuple(("supplies", w.supply.id) for w in watched),
        needs=(),
        see=_signed_in(box, watched),
        back="systemctl disable --now nut-monitor nut-server",
        by_hand=_by_hand(box, watched),
        protocol="ups",
        service=Service(
            package="nut-server nut-client" if cabled else "nut-client",
            files=tuple((f"nut/{n}", f"{FOLDER}/{n}") for n in names),
            check=_signed_in(box, watched),
            start="systemctl restart nut-server nut-monitor"
            if cabled
            else "systemctl restart nut-monitor",
            asks=True,
            minds=(
                *(f"The signal cable of {name} goes into {box.name}." for name in cabled),
                *([TRIED] if cabled else []),
            ),
            before=_words(cabled) + f"; make the files root's and nut's alone: {typed(RIGHTS)}",
        ),
        watched=tuple(watched),
        waits_seconds=waits_seconds(index, told_by_it),
    )


def _words(cabled: list[str]) -> str:
    if cabled:
        return (
            "put a password for this box in the place of SET-ME in upsd.users, take the # before it away, and "
            "put the same one into upsmon.conf; another one for those that it tells, if upsd.users has them"
        )
    return (
        "put the password that upsd.users of the box with the cable has for others into upsmon.conf"
    )


def _signed_in(box: Host, watched: list[Watched]) -> str:
    """Each UPS names this box among those that it tells: the status alone is told to anybody who asks."""
    mine = "." if any(w.mine for w in watched) or not box.address else f"-wF {box.address}"
    return " && ".join(f"upsc -c {w.here} | grep {mine}" for w in watched)


def _by_hand(box: Host, watched: list[Watched]) -> str:
    if not box.closed:
        return ""
    where = ", ".join(f"{w.name} at {w.at}, port {PORT}" for w in watched)
    return f"{box.name} has firmware of its own: enter the network UPS in its web page ({where})"
