"""Papers for people as Markdown (CommonMark with task lists), every name kept as plain text."""

import re

from kavrel.core.paper.document import Document
from kavrel.core.typed import commands, pieces, typed

# What would be read as a mark and is not meant so. A pipe, a redirection, "&&", "~/", "md*/md" and "a_b"
# stay as a shell takes them, for whoever copies a command out of the bare file: none is a mark where a
# text stands here; a star or a low line is one only where it can open an emphasis that a second one ends, a
# backslash only before punctuation (CommonMark 0.31, 2.4 and 6.2).
_SPECIAL = re.compile(
    r"[`\[\]<]|\\(?=[!-/:-@\[-`{-~])|^[#>=+*_-]|^\d+(?=[.)])|&(?=#?\w+;)|~(?!/)"
    r"|\*(?=[^\W_].*\*)|(?<![^\W_])([*_])(?=\1*(?!\1)\S.*\1)"
)
# Stands for what is typed while the words beside it are looked at: no mark, and no space.
_PLACE = "\ue000"
# Shorter steps are not worth a figure.
LEAST_HOURS = 0.1


def document_markdown(paper: Document) -> str:
    """The paper's text; hours are for planning, not promises."""
    lines = [f"# {plain_text(paper.title)}", "", f"From {plain_text(paper.origin)}.", ""]
    for section in paper.sections:
        lines += [f"{'###' if section.below else '##'} {plain_text(section.title)}", ""]
        if section.intro:
            lines += [plain_text(section.intro), ""]
        for fact in section.facts:
            lines.append(f"- {plain_text(fact.text)}")
            lines += [f"  - {plain_text(how)}" for how in fact.how]
        for step in section.steps:
            hours = f" ({step.hours:.1f} h)" if step.hours and step.hours >= LEAST_HOURS else ""
            lines.append(f"- [ ] {plain_text(step.text)}{hours}")
            lines += [f"  - **Mind:** {plain_text(mind)}" for mind in step.minds]
        if section.facts or section.steps:
            lines.append("")
    return "\n".join(lines)


def plain_text(text: str) -> str:
    """Text that Markdown shows as it is, on one line; what is typed as code."""
    line = " ".join(text.split()).replace(_PLACE, " ")
    around = "".join(_PLACE if is_typed else piece for is_typed, piece in pieces(line))
    said = _SPECIAL.sub(_marked, around)
    for command in commands(line):
        said = said.replace(_PLACE, typed(command), 1)
    return said


def _marked(found: re.Match[str]) -> str:
    return f"{found[0]}\\" if found[0].isdigit() else f"\\{found[0]}"
