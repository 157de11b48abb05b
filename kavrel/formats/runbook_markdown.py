"""The runbook as Markdown (CommonMark with task lists), every name kept as plain text."""

import re

from kavrel.core.paper.runbook import Runbook

_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~!&])")


def runbook_markdown(book: Runbook) -> str:
    """The runbook's text; hours are for planning, not promises."""
    lines = [f"# {_text(book.title)}", "", f"From {_text(book.origin)}.", ""]
    for section in book.sections:
        lines += [f"## {_text(section.title)}", ""]
        if section.intro:
            lines += [_text(section.intro), ""]
        for step in section.steps:
            hours = f" ({step.hours:.1f} h)" if step.hours and step.hours >= 0.1 else ""
            lines.append(f"- [ ] {_text(step.text)}{hours}")
            lines += [f"  - **Mind:** {_text(mind)}" for mind in step.minds]
        lines.append("")
    return "\n".join(lines)


def _text(text: str) -> str:
    return _SPECIAL.sub(r"\\\1", " ".join(text.split()))
