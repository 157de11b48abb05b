"""The kinds of value a plan is made of, each with its unit, its bounds and its complaint.

Numbers are strict: text, booleans, NaN and infinities are refused rather than guessed at.
"""

import ipaddress
import re
import unicodedata
from datetime import date, timedelta
from functools import cache
from typing import Annotated, Any
from zoneinfo import available_timezones

from pydantic import AfterValidator, BeforeValidator, Field, WithJsonSchema
from pydantic.fields import FieldInfo

# A mean year: growth "a year" spread over days, and rates "a year" over lifetimes.
YEAR_DAYS = 365.25
DAY = 86_400.0  # seconds
LINE_LIMIT = 80
NOTE_LIMIT = 4000

# Marks that reorder or hide text: a name that uses them can pass for another name.
_HIDDEN = frozenset("\u200b\u200e\u200f\u2028\u2029\ufeff") | {
    chr(c) for c in (*range(0x202A, 0x202F), *range(0x2066, 0x206A))
}


def _one_line(text: str) -> str:
    if not text.strip():
        raise ValueError("give a name: this may not be blank")
    if text != text.strip():
        raise ValueError("remove the blanks at the start or the end")
    _refuse_unprintable(text, allowed="")
    return text


def _note(text: str) -> str:
    _refuse_unprintable(text, allowed="\n\t")
    return text


def _refuse_unprintable(text: str, allowed: str) -> None:
    for char in text:
        if char in allowed:
            continue
        if char in _HIDDEN or unicodedata.category(char) in ("Cc", "Cs"):
            raise ValueError(
                f"remove the character U+{ord(char):04X}: line breaks, control characters and "
                "marks that hide or reorder text are not allowed here"
            )


def _iso_date(value: Any) -> Any:
    """Dates come as YYYY-MM-DD; a bare number is a slip of the hand, not seconds since 1970."""
    if isinstance(value, date) or (
        isinstance(value, str) and re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", value)
    ):
        return value
    raise ValueError("write the date as YYYY-MM-DD")


@cache
def _zones() -> frozenset[str]:
    # Looks through the time zone files: once is enough.
    return frozenset(available_timezones())


def _zone(name: str) -> str:
    if name not in _zones():
        raise ValueError("unknown time zone: use an IANA name such as Europe/Lisbon")
    return name


def _wall_time(text: str) -> str:
    if not re.fullmatch(r"([01][0-9]|2[0-3]):[0-5][0-9]", text):
        raise ValueError("write the time as HH:MM, from 00:00 to 23:59")
    return text


def _address(text: str) -> str:
    # Behind a % any text would pass for the name of an interface.
    if "%" in text and not re.fullmatch(r"[^%]+%[A-Za-z0-9._-]{1,15}", text):
        raise ValueError("behind the % of an address stands an interface such as eth0")
    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        raise ValueError("write an address such as 192.168.1.20 or fd00::20") from None


def _network(text: str) -> str:
    try:
        return str(ipaddress.ip_network(text))
    except ValueError:
        raise ValueError(
            "write a network such as 192.168.1.0/24, with the host part all zero"
        ) from None


def _path(text: str) -> str:
    _refuse_unprintable(text, allowed="")
    if not text.startswith("/") or "//" in text or ".." in text.split("/") or len(text) > 200:
        raise ValueError("write a full path such as /data/photos, without .. in it")
    return text


Address = Annotated[str, Field(max_length=45), AfterValidator(_address)]
NetworkRange = Annotated[str, Field(max_length=50), AfterValidator(_network)]
FullPath = Annotated[str, AfterValidator(_path)]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")]
Line = Annotated[str, Field(max_length=LINE_LIMIT), AfterValidator(_one_line)]
MaybeLine = Annotated[str, Field(max_length=LINE_LIMIT), AfterValidator(_note)]
Note = Annotated[str, Field(max_length=NOTE_LIMIT), AfterValidator(_note)]
Day = Annotated[
    date, BeforeValidator(_iso_date), WithJsonSchema({"type": "string", "format": "date"})
]
Zone = Annotated[str, AfterValidator(_zone)]
WallTime = Annotated[str, AfterValidator(_wall_time)]

# 100 TB a disk and 9 PB in all keep every sum exact in a browser's numbers as well (2**53).
MIB = 2**20
DiskBytes = Annotated[int, Field(strict=True, ge=10**9, le=10**14)]
Bytes = Annotated[int, Field(strict=True, ge=0, le=10**15)]
Money = Annotated[int, Field(strict=True, ge=0, le=10**9)]
Count = Annotated[int, Field(strict=True, ge=0, le=10_000)]
# Of a revision; whole numbers beyond are none that a database or a browser keeps exact.
Number = Annotated[int, Field(ge=0, le=2**53)]
StrictNumber = Annotated[int, Field(strict=True, ge=0, le=2**53)]  # in a body, where true is no 1
Flag = Annotated[bool, Field(strict=True)]


def real(low: float, high: float, **extra: Any) -> FieldInfo:
    """Of a `float` annotated with it: a finite number from `low` to `high`, no boolean, no text."""
    field: FieldInfo = Field(strict=True, ge=low, le=high, allow_inf_nan=False, **extra)
    return field


def whole(low: int, high: int) -> FieldInfo:
    """Of an `int` annotated with it: a whole number from `low` to `high`, no boolean, no text."""
    field: FieldInfo = Field(strict=True, ge=low, le=high)
    return field


def later(day: date, days: float) -> date:
    """So many days after a day, and the calendar's last day where there is none any more."""
    left = (date.max - day).days
    return date.max if days >= left else day + timedelta(days=days)


# Decimal digits of the currencies that have not two. Source: ISO 4217, list one; browsers have the same.
MINOR_DIGITS = {
    code: digits
    for digits, codes in (
        (0, "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF"),
        (3, "BHD IQD JOD KWD LYD OMR TND"),
        (4, "CLF UYW"),
    )
    for code in codes.split()
}


def currency_minor(code: str) -> int:
    """Minor units in one unit of the currency: 100 for most, 1 for the yen, 1000 for the dinars."""
    return int(10 ** MINOR_DIGITS.get(code, 2))


def size_words(size_bytes: int) -> str:
    """A size in decimal units, as disks are sold: 4.00 TB, 350 GB, 12.5 MB."""
    for unit, power in (("TB", 12), ("GB", 9), ("MB", 6), ("kB", 3)):
        if size_bytes >= 10**power:
            amount = size_bytes / 10**power
            return f"{amount:.2f} {unit}" if amount < 10 else f"{amount:.4g} {unit}"
    return f"{size_bytes} bytes"


def sizes_apart(*sizes_bytes: float) -> tuple[str, ...]:
    """Sizes that are held against each other, with as many digits as it takes to tell them apart."""
    sizes = [int(size) for size in sizes_bytes]
    words = [size_words(size) for size in sizes]
    if len(set(words)) < len(set(sizes)):
        words = [f"{size:,} bytes" for size in sizes]
    return tuple(words)


def span_words(seconds: float) -> str:
    """A span of time as people say it: 40 s, 12 min, 5.3 h, 3.2 days."""
    if seconds < 60:
        return f"{seconds:.0f} s"
    for unit, size, until in (("min", 60, 5_400), ("h", 3_600, 172_800)):
        if seconds < until:
            amount = seconds / size
            return f"{amount:.1f} {unit}" if amount < 10 else f"{amount:.0f} {unit}"
    days = seconds / 86_400
    return f"{days:.1f} days" if days < 10 else f"{days:.0f} days"
