"""Files of [sections] with `name = value` lines, as smb.conf and rsyncd.conf have them."""

from collections.abc import Iterator

from kavrel.formats.readers.report import Report, numbered


class Entry:
    """One value with the line that it stands on."""

    def __init__(self, number: int, text: str, key: str, value: str) -> None:
        self.number, self.text, self.key, self.value = number, text, key, value


def sections(text: str, report: Report) -> Iterator[tuple[str, list[Entry]]]:
    """Sections in their order; a line that ends in a backslash goes on in the next.

    Keys are folded: case, blanks and dashes do not count. What stands before the first section is
    in the section "".
    """
    name = ""
    entries: list[Entry] = []
    held = ""
    start = 0
    for number, line in numbered(text, report, "#;"):
        start = start if held else number
        whole = held + line
        if whole.endswith("\\"):
            held = whole[:-1]
            continue
        held = ""
        if whole.startswith("[") and whole.endswith("]"):
            yield name, entries
            name, entries = whole[1:-1].strip(), []
            report.say(start, whole, "understood")
        elif "=" in whole:
            key, _, value = whole.partition("=")
            folded = "".join(c for c in key.lower() if c not in " -_\t")
            entries.append(Entry(start, whole, folded, value.strip()))
        elif whole.lower().startswith("include"):
            report.say(
                start, whole, "not understood", "another file is included: read that one too"
            )
        else:
            report.say(start, whole, "not understood", "neither a section nor NAME = VALUE")
    if held:
        report.say(start, held, "not understood", "the line goes on, and the file ends")
    yield name, entries


def truth(value: str) -> bool | None:
    """Yes or no as the server reads it, or None."""
    folded = value.lower()
    if folded in ("yes", "true", "1", "on"):
        return True
    return False if folded in ("no", "false", "0", "off") else None
