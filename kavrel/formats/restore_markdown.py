"""The restore sheet as Markdown (CommonMark with task lists)."""

from kavrel.core.paper.restore_sheet import RestoreSheet
from kavrel.formats.runbook_markdown import plain_text

RULES = (
    "Take your time: nothing gets worse by waiting an hour, much gets worse by haste.",
    "Write nothing to a disk that may still hold the data. Pull no disk before its serial is read aloud.",
    "Pull the mains plug before a case is opened; never open a power supply.",
    "Keep the copy untouched: restore to new disks, never over the only copy.",
)


def restore_markdown(sheet: RestoreSheet) -> str:
    """The sheet's text."""
    lines = [f"# {plain_text(sheet.title)}", "", f"From {plain_text(sheet.origin)}.", ""]
    lines += [*(f"- {plain_text(r)}" for r in RULES), ""]
    for title, told in (
        ("Where the boxes stand", sheet.boxes),
        ("Where the copies lie", sheet.copies),
        ("Where the keys are", sheet.keys),
    ):
        if told:
            lines += [f"## {title}", "", *(f"- {plain_text(t)}" for t in told), ""]
    for hazard in sheet.hazards:
        lines += [f"## {plain_text(hazard.title)}", "", plain_text(hazard.question), ""]
        for dataset in hazard.datasets:
            lines.append(f"### {plain_text(dataset.name)}")
            lines += ["", plain_text(dataset.verdict) + ".", ""]
            lines += [
                f"- [ ] {plain_text(s.text)}" + (f" ({s.hours:.1f} h)" if s.hours >= 0.05 else "")
                for s in dataset.steps
            ]
            lines.append("")
    return "\n".join(lines)
