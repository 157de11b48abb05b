"""A boot stick or card whose configuration has no copy."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for h in view.index.plan.hosts:
        if not h.boot_copied and h.boot_device in ("usb_stick", "sd_card"):
            device = "stick" if h.boot_device == "usb_stick" else "card"
            yield (
                h.id,
                h.name,
                (
                    f"It boots from a {device}, the part most likely to die, and its configuration has no "
                    "copy elsewhere."
                ),
            )


BOOT_WITHOUT_COPY = Rule(
    "boot_without_copy",
    "caution",
    "bench",
    "host",
    "Copy the configuration elsewhere after each change and say so on the Bench.",
    _find,
)
