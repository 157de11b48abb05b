"""A file service or a shell open to the internet."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    bare = {21, 22, 23, 80, 111, 139, 443, 445, 873, 2049, 3260, 3389, 5900}
    for opening in plan.openings:
        if opening.source == "internet" and opening.port in bare:
            host = view.index.hosts[opening.host].name
            yield opening.id, host, f"Port {opening.port} ({opening.purpose}) is open to everybody."


SERVICE_ON_THE_INTERNET = Rule(
    "service_on_the_internet",
    "serious",
    "shares",
    "opening",
    "Close it now; use a VPN.",
    _find,
    could="This is how lab after lab is encrypted.",
    fix=changed("only through the VPN", "openings", source="vpn"),
)
