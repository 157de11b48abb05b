"""A look of lab-look, one listing alone, or a screenful from a terminal: read into a machine."""

import json
import re
from collections.abc import Iterator
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict

from kavrel.core.seen.machine import Machine
from kavrel.formats.looks import LISTINGS
from kavrel.formats.looks.listing import Heard, Listing, ListingReader, Notes
from kavrel.formats.looks.together import together

LARGEST = 24 * 2**20
MOST_LISTINGS = 2000
PROMPT = re.compile(r"^(?:\S*[\w~/\])]\s?)?[$#%>] (?:sudo )?([a-z][\w./-]*)(.*)$")
VERSION = 1
OUTSIDE = "it is no listing that Kavrel reads"


class Unreadable(ValueError):
    """Raised for what is no listing of a machine; the text says why, and what would be one."""


class Reading(BaseModel):
    """What was read: the machine, and for each listing what was understood of it and what was not."""

    model_config = ConfigDict(frozen=True)

    machine: Machine
    heard: tuple[Heard, ...]
    unseen: tuple[str, ...] = ()
    whole: bool


def read_look(content: bytes, now: float) -> Reading:
    """Raises Unreadable. `now` is the moment of a paste, which has none of its own."""
    if len(content) > LARGEST:
        raise Unreadable(f"at most {LARGEST // 2**20} MiB are read")
    if not content.strip():
        raise Unreadable("there is nothing in it")
    if b"\0" in content:
        raise Unreadable("this is no text: it has NUL bytes in it")
    text = content.decode("utf-8", "replace").removeprefix("\ufeff").replace("\r\n", "\n")
    notes = Notes(at=now)
    unseen: tuple[str, ...] = ()
    whole = '"lab-look"' in text[:200]
    if whole:
        listings, unseen = _of_look(text, notes)
    else:
        listings = list(_pasted(text))
    for listing in listings:
        _read(listing, notes)
    if not any(one.understood for one in listings):
        raise Unreadable(_why(listings))
    return Reading(
        machine=together(notes),
        heard=tuple(one.heard() for one in listings),
        unseen=unseen,
        whole=whole,
    )


def _why(listings: list[Listing]) -> str:
    said = next((one.why for one in listings if one.why), OUTSIDE)
    return f"{said}: paste what lab-look prints, or lsblk -J -b -O, smartctl -j -a, zpool status"


def _of_look(text: str, notes: Notes) -> tuple[list[Listing], tuple[str, ...]]:
    try:
        said: dict[str, Any] = json.loads(text)
    except (ValueError, RecursionError) as e:
        raise Unreadable(f"this look is cut off or damaged ({e}): copy all of it") from None
    if said.get("lab-look") != VERSION:
        raise Unreadable("this look is of another version of lab-look: take the one of this Kavrel")
    try:
        notes.host = str(said["host"])[:80]
        notes.at = datetime.fromisoformat(said["at"]).timestamp()
        notes.root = bool(said["root"])
        rows = [
            Listing(str(r["listing"]), str(r["asked"]), str(r["said"])) for r in said["listings"]
        ]
        unseen = tuple(f"{u['asked']}: {u['why']}"[:400] for u in said["unseen"][:MOST_LISTINGS])
    except (KeyError, TypeError, ValueError, OverflowError) as e:
        raise Unreadable(f"this look lacks what lab-look writes ({e})") from None
    if len(rows) > MOST_LISTINGS:
        raise Unreadable(f"at most {MOST_LISTINGS} listings are read")
    return rows, unseen


def _pasted(text: str) -> Iterator[Listing]:
    """Pieces after a prompt with a command; without a prompt all of it, told by its looks."""
    pieces: list[tuple[str, list[str]]] = [("", [])]
    for line in text.split("\n"):
        match = PROMPT.match(line) if len(line) < 400 else None
        if match and not line.startswith(("#!", "# ")):
            pieces.append((f"{match.group(1)}{match.group(2)}".strip(), []))
        else:
            pieces[-1][1].append(line)
    for asked, lines in pieces:
        said = "\n".join(lines).strip("\n")
        if said.strip():
            reader = recognised(said)
            shown = asked or (reader.title if reader else "pasted")
            yield Listing(reader.id if reader else "unknown", shown, said)


def recognised(text: str) -> ListingReader | None:
    """The reader that a text looks like it was made for."""
    return next((r for r in LISTINGS.values() if r.looks_like and r.looks_like(text)), None)


def _read(listing: Listing, notes: Notes) -> None:
    reader = LISTINGS.get(listing.id)
    if reader is None:
        listing.why = OUTSIDE
        for line in listing.text.splitlines():
            listing.puzzled(line)
        return
    try:
        reader.read(listing, notes)
    except (ValueError, RecursionError):
        listing.why = "it is cut off or damaged: copy all of it"
        listing.puzzled(listing.text)
    except (KeyError, TypeError, AttributeError, IndexError, OverflowError) as e:
        listing.why = f"it is not as {reader.title} prints it ({type(e).__name__}: {e})"
        listing.puzzled(listing.text)
    else:
        notes.looked_at.update(reader.covers)
