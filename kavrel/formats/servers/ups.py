"""The files of a host that is told by a UPS. Sources: those of `core.works.ups`."""

from kavrel.core.bench import stopping
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.works.ups import power_works
from kavrel.formats.servers.template import render


def ups_files(plan: Plan, host: str, origin: str) -> dict[str, str]:
    """File name, as nut/ups.conf, to its text; none where nobody tells the host, or it takes no files."""
    index = Index(plan)
    files = {}
    for work in power_works(index, host):
        if work.by_hand:
            continue
        mine = [w for w in work.watched if w.mine]
        for name, _ in work.service.files:
            files[name] = render(
                f"{name.partition('/')[2]}.j2",
                host=index.hosts[host],
                origin=origin,
                watched=work.watched,
                mine=mine,
                told=any(w.others for w in mine),
                waits=work.waits_seconds,
                stopping=stopping,
                told_here="/run/nut/told-that-it-stops",
            )
    return files
