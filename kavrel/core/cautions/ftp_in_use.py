"""FTP."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "ftp":
            how = (
                "with TLS, which old devices often do not speak"
                if export.secured
                else "in the clear"
            )
            yield export.id, export.name, f"It carries passwords and files {how}."


FTP_IN_USE = Rule(
    "ftp_in_use",
    "caution",
    "shares",
    "export",
    "SFTP, or FTP inside a VPN; drop it when the device that needs it is gone.",
    _find,
    could="Its passwords can be read on the way, and opened ports are found within hours.",
)
