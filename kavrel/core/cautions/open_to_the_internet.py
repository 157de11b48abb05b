"""A port that the internet reaches."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    bare = {21, 22, 23, 80, 111, 139, 443, 445, 873, 2049, 3260, 3389, 5900}
    for opening in plan.openings:
        if opening.source == "internet" and opening.port not in bare:
            host = view.index.hosts[opening.host].name
            yield opening.id, host, f"Port {opening.port} ({opening.purpose}) is open to everybody."


OPEN_TO_THE_INTERNET = Rule(
    "open_to_the_internet",
    "caution",
    "shares",
    "opening",
    "A VPN instead: one port that answers nobody without a key.",
    _find,
    could="It is found within hours and tried for ever.",
    fix=changed("only through the VPN", "openings", source="vpn"),
)
