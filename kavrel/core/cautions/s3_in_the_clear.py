"""An S3 tenant without TLS."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "s3" and not export.secured:
            yield export.id, export.name, "Keys and objects go over the wire in the clear."


S3_IN_THE_CLEAR = Rule(
    "s3_in_the_clear",
    "caution",
    "shares",
    "export",
    "TLS with a certificate of your own, or inside the VPN.",
    _find,
    could="Keys and data are read on the way.",
    fix=changed("use TLS", "exports", secured=True),
)
