"""Sizes and moments as tools print them for people."""

import re
from datetime import UTC, datetime

_SIZE = re.compile(r"^([0-9]+(?:[.,][0-9]+)?)\s?([KMGTPE]?)(?:i?B)?$", re.IGNORECASE)
_POWERS = {"": 0, "K": 1, "M": 2, "G": 3, "T": 4, "P": 5, "E": 6}


def size_of(text: str) -> int | None:
    """Bytes of `4000787030016`, `3.6T`, `3,6T` or `931.5G` (binary units, as lsblk, df and zfs round)."""
    match = _SIZE.match(text.strip())
    if match is None:
        return None
    value = float(match.group(1).replace(",", "."))
    return int(value * 1024 ** _POWERS[match.group(2).upper()])


def moment_of(text: str) -> float | None:
    """Seconds since 1970 from ISO 8601, from `2026-11-26 14:00:00`, or from seconds; without a zone: UTC."""
    plain = text.strip()
    if re.fullmatch(r"[0-9]{1,11}(\.[0-9]+)?", plain):
        return float(plain)
    # Some tools print nanoseconds, which no calendar of Python's reads.
    plain = re.sub(r"(\.[0-9]{6})[0-9]+", r"\1", plain)
    try:
        value = datetime.fromisoformat(plain)
        return (value if value.tzinfo else value.replace(tzinfo=UTC)).timestamp()
    except (ValueError, OverflowError, OSError):
        return None


def moment_by_name(text: str) -> float | None:
    """Seconds since 1970 from a date as C's asctime has it: `Sun Nov  8 03:36:45 2026`; taken as UTC."""
    try:
        value = datetime.strptime(" ".join(text.split()), "%a %b %d %H:%M:%S %Y")
        return value.replace(tzinfo=UTC).timestamp()
    except (ValueError, OverflowError):
        return None
