"""The run sheet of the shuffle as Markdown (CommonMark with task lists)."""

from kavrel.core.moves.shuffle import Shuffle
from kavrel.formats.document_markdown import plain_text


def run_sheet_markdown(lab: str, move: Shuffle, origin: str) -> str:
    """What is ticked, what is to do, the whole copies left after each step, and how to back out."""
    lines = [f"# Run sheet: {plain_text(lab)}", "", f"From {plain_text(origin)}.", ""]
    lines += ["Pull the mains plug before a case is opened. Read serial numbers aloud.", ""]
    for tick in move.ticked:
        box = "x" if tick.fits and tick.outcome == "done" else " "
        took = f" (took {tick.took_hours:.1f} h)" if tick.took_hours else ""
        lines.append(f"- [{box}] {plain_text(tick.text)} {tick.outcome}{took}")
    for step in move.steps:
        lines.append(f"- [ ] {plain_text(step.text)} ({step.hours:.1f} h)")
        lines += [f"  - **Mind:** {plain_text(danger)}" for danger in step.danger]
        copies = ", ".join(f"{plain_text(c.name)} {c.copies}" for c in step.copies_after)
        lines.append(f"  - Whole copies after it: {copies}")
        lines.append(f"  - Back out: {plain_text(step.back_out)}")
    if move.needs:
        lines += ["", plain_text(move.needs)]
    return "\n".join(lines) + "\n"
