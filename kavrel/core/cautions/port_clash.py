"""Two things on one port of a host."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    from kavrel.core.shares.addresses import clashes

    for clash in clashes(view.index, view.listeners):
        name = view.index.hosts[clash.host].name
        yield clash.host, name, f"{' and '.join(clash.what)} both want port {clash.port}."


PORT_CLASH = Rule(
    "port_clash",
    "serious",
    "shares",
    "host",
    "Give one of them another port.",
    _find,
    could="Which of the two starts first has it; the other fails without a word.",
)
