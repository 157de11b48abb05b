"""A 3.5-inch disk fed from the USB port of a small board."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for d in view.index.plan.disks:
        host = view.index.hosts[d.host] if d.host else None
        if not host or not (d.bay or "").startswith("usb") or d.own_supply:
            continue
        if d.form == "3.5" and d.kind == "hdd":
            yield (
                d.id,
                d.label,
                (
                    f"A 3.5-inch disk on a USB port of {host.name} without its own supply: the port cannot "
                    "feed it, and it drops out under load."
                ),
            )


USB_POWER = Rule(
    "usb_power",
    "serious",
    "bench",
    "disk",
    "Use a case with its own supply, a powered hub, or an SSD.",
    _find,
)
