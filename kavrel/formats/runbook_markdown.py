"""The runbook as Markdown (CommonMark with task lists), every name kept as plain text."""

import re

from kavrel.core.paper.runbook import Runbook

_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~!&])")


def runbook_markdown(book: Runbook) -> str:
    """The runbook's text; hours are for planning, not promises."""
    lines = [f"# {plain_text(book.title)}", "", f"From {plain_text(book.origin)}.", ""]
    for section in book.sections:
        lines += [f"## {plain_text(section.title)}", ""]
        if section.intro:
            lines += [plain_text(section.intro), ""]
        for step in section.steps:
            hours = f" ({step.hours:.1f} h)" if step.hours and step.hours >= 0.1 else ""
            lines.append(f"- [ ] {plain_text(step.text)}{hours}")
            lines += [f"  - **Mind:** {plain_text(mind)}" for mind in step.minds]
        lines.append("")
    return "\n".join(lines)


def plain_text(text: str) -> str:
    """Text that Markdown shows as it is, on one line."""
    return _SPECIAL.sub(r"\\\1", " ".join(text.split()))
