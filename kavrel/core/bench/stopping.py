"""How boxes on a UPS stop: who has its cable, what comes before a box's own shutdown, and in which order.

Once the delay is over the box with the cable says by mail what happens, tells the others, lets them stop,
and stops last. Source: upsmon(8) and upsmon.conf(5) of Network UPS Tools 2.8, with the settings below.
"""

from kavrel.core.index import Index
from kavrel.core.plan import Supply

# The figures that `upsmon.conf` and the command of `upssched` are written with.
MAIL_SECONDS = 20  # the mail is taken by then, or it goes on without
POLL_SECONDS = 5  # POLLFREQ: until the others look again
FINAL_SECONDS = 5  # FINALDELAY, on each of them
SLACK_SECONDS = 15  # HOSTSYNC, over the longest shutdown of the others


def cable(index: Index, supply: Supply) -> str | None:
    """The host that has a UPS's signal cable: None where nobody is told who takes files."""
    able = [h for h in supply.signals if not index.hosts[h].closed]
    fed = [h for h in able if h in supply.hosts]
    return next(iter([*fed, *able]), None)


def others(index: Index, supply: Supply) -> tuple[str, ...]:
    """Ids of the hosts that the one with the cable tells."""
    keeper = cable(index, supply)
    return tuple(h for h in supply.signals if h != keeper)


def waits_seconds(index: Index, told: tuple[str, ...]) -> int:
    """HOSTSYNC of a box that tells these: as long it waits for them, at most."""
    slowest = max((index.hosts[h].shutdown_minutes for h in told), default=0.0)
    return round(slowest * 60) + SLACK_SECONDS


def stopping_minutes(index: Index, supply: Supply) -> dict[str, float]:
    """Each host that is told, by id: minutes from the end of the delay until it is off, at worst.

    The one with the cable waits for the others as long as it may: they need not say when they are off.
    """
    told = others(index, supply)
    keeper = cable(index, supply)
    waits = waits_seconds(index, told) if told else 0
    ahead = dict.fromkeys(told, POLL_SECONDS) | ({keeper: waits} if keeper else {})
    return {
        h: (MAIL_SECONDS + before + FINAL_SECONDS) / 60 + index.hosts[h].shutdown_minutes
        for h, before in ahead.items()
    }
