"""One line that makes disks: `nas: 6 x 8TB heron 179 each, 2x nvme 1TB wren`.

A line is parts with commas between; a part is a count, a size as sold, and words: a kind (ssd, nvme,
hdd), a condition (new, used, refurbished), smr, a price with or without `each`, and what is left is the
disks' name. `NAME:` in front says which host they go into; one that there is not is made, with as many
bays. Without it they go into the first host with free bays that fit, else on the shelf.
"""

import re
from dataclasses import dataclass, field
from typing import Any, Literal

from kavrel.core.bench.bays import bays, misfit
from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.plan import Disk, Host, Plan, Site
from kavrel.core.quantities import currency_minor, size_words

COUNT = re.compile(r"^([1-9][0-9]{0,2})\s*(?:x|×|\*)$", re.IGNORECASE)
JOINED = re.compile(r"^([1-9][0-9]{0,2})(?:x|×|\*)(.+)$", re.IGNORECASE)
SIZE = re.compile(r"^[0-9]+(?:[.,][0-9]+)?\s?[GT]i?B$", re.IGNORECASE)
PRICE = re.compile(r"^[0-9]{1,7}(?:[.,][0-9]{1,3})?$")
KINDS: dict[str, Literal["hdd", "ssd", "nvme"]] = {
    "hdd": "hdd",
    "disk": "hdd",
    "disks": "hdd",
    "ssd": "ssd",
    "ssds": "ssd",
    "nvme": "nvme",
}
FORMS: dict[str, Literal["3.5", "2.5", "m.2"]] = {"hdd": "3.5", "ssd": "2.5", "nvme": "m.2"}
# Averaged over the platter, or of the flash: common practice, no source; every disk says its own.
SPEEDS = {"hdd": 185.0, "ssd": 450.0, "nvme": 3000.0}
CONDITIONS: dict[str, Literal["new", "used", "refurbished"]] = {
    "new": "new",
    "used": "used",
    "refurbished": "refurbished",
    "refurb": "refurbished",
}
BETWEEN = re.compile(r"(?<![0-9]),|,(?![0-9])|[;+]")  # 49,50 is one price
UNIT = re.compile(r"^[gt]i?b$", re.IGNORECASE)
NUMBER = re.compile(r"^[0-9]+(?:[.,][0-9]+)?$")
FILLER = ("each", "a", "piece", "at", "for", "3.5", "3.5-inch")
MOST = 100
BAY_FIELDS = {"3.5": "bays_35", "2.5": "bays_25", "m.2": "slots_nvme"}


class LineError(ValueError):
    """What is wrong with a line, and what would be right."""


@dataclass
class Part:
    """So many disks of one make."""

    count: int
    capacity_bytes: int
    kind: Literal["hdd", "ssd", "nvme"] = "hdd"
    form: Literal["3.5", "2.5", "m.2"] = "3.5"
    condition: Literal["new", "used", "refurbished"] = "new"
    recording: Literal["cmr", "smr"] = "cmr"
    price_minor: int = 0
    name: str = ""


@dataclass(frozen=True)
class Line:
    """What a line makes: things by collection, ready for the plan, and what it does in words."""

    things: tuple[tuple[str, dict[str, Any]], ...]
    says: str


@dataclass
class _Made:
    plan: Plan
    things: list[tuple[str, dict[str, Any]]] = field(default_factory=list)

    def add(self, collection: str, item: Any) -> None:
        self.things.append((collection, item.model_dump(mode="json")))
        many = (*getattr(self.plan, collection), item)
        self.plan = self.plan.model_copy(update={collection: many})


def read_line(text: str, plan: Plan, fresh: Any) -> Line:
    """What a line makes; raises LineError. `fresh(plan, collection)` gives an id that is not taken."""
    where, colon, rest = text.partition(":")
    if not colon:
        where, rest = "", text
    parts = [_part(p, plan.currency) for p in BETWEEN.split(rest) if p.strip()]
    if not parts:
        raise LineError("write how many, and a size: 6 x 8TB heron 179 each")
    if sum(p.count for p in parts) > MOST:
        raise LineError(f"at most {MOST} disks in one line")
    made = _Made(plan)
    said = [_said(p, plan.currency) for p in parts]
    host, place = _host(" ".join(where.split()), parts, made, fresh)
    where_to: list[str] = []
    for part in parts:
        where_to += _disks(part, host, made, fresh)
    spots = _spots(where_to)
    return Line(tuple(made.things), f"{place}{'; '.join(said)}: {spots}")


class _Words:
    """The words of a part, sorted by what each is."""

    def __init__(self, text: str, currency: str) -> None:
        self.part = Part(1, 0)
        self.sizes: list[str] = []
        self.names: list[str] = []
        self.prices: list[str] = []
        self.left = text.replace("×", "x").split()
        self.filler = {*FILLER, currency.lower()}
        while self.left:
            word = self.left.pop(0)
            if not (self._count(word) or self._size(word) or self._word(word.lower())):
                (self.prices if PRICE.match(word) else self.names).append(word)

    def _count(self, word: str) -> bool:
        """`6x`, `6 x`, and `6x8TB` as people write it."""
        joined = JOINED.match(word)
        if COUNT.match(word):
            self.part.count = int(word[:-1])
        elif (
            self.left and self.left[0].lower() in ("x", "*") and re.fullmatch(r"[1-9]\d{0,2}", word)
        ):
            self.part.count = int(word)
            self.left.pop(0)
        elif joined and (SIZE.match(joined[2]) or joined[2].lower() in KINDS):
            self.part.count = int(joined[1])
            self.left.insert(0, joined[2])
        else:
            return False
        return True

    def _size(self, word: str) -> bool:
        """`8TB`, and `8 TB`."""
        if SIZE.match(word):
            self.sizes.append(word)
        elif self.left and UNIT.match(self.left[0]) and NUMBER.match(word):
            self.sizes.append(word + self.left.pop(0))
        else:
            return False
        return True

    def _word(self, low: str) -> bool:
        """A kind, a condition, a form, and what only makes it read well."""
        if low in KINDS:
            self.part.kind = KINDS[low]
        elif low in CONDITIONS:
            self.part.condition = CONDITIONS[low]
        elif low in ("smr", "cmr"):
            self.part.recording = "smr" if low == "smr" else "cmr"
        elif low in ("2.5", "2.5-inch"):
            self.part.form = "2.5"
        else:
            return low in self.filler
        return True


def _part(text: str, currency: str) -> Part:
    shown = f"“{text.strip()[:60]}”"
    words = _Words(text, currency)
    part = words.part
    if len(words.sizes) != 1:
        what = "no size" if not words.sizes else "two sizes"
        raise LineError(f"{what} in {shown}: write one, as 8TB or 500GB")
    if len(words.prices) > 1:
        raise LineError(f"two prices in {shown}")
    try:
        part.capacity_bytes = parse_capacity(words.sizes[0].replace(",", "."))
    except CapacityError as error:
        raise LineError(str(error)) from error
    part.form = "2.5" if part.form == "2.5" and part.kind != "nvme" else FORMS[part.kind]
    part.name = " ".join(words.names)[:60]
    if any(not c.isprintable() for c in part.name):
        raise LineError("a name is letters, digits and signs that can be printed")
    if words.prices:
        price = float(words.prices[0].replace(",", "."))
        part.price_minor = round(price * currency_minor(currency))
    return part


def _said(part: Part, currency: str) -> str:
    kind = {"hdd": "hard disk", "ssd": "SSD", "nvme": "NVMe stick"}[part.kind]
    minor = currency_minor(currency)
    price = f", {part.price_minor / minor:g} {currency} each" if part.price_minor else ""
    many = "" if part.count == 1 else "s"
    name = f" {part.name}" if part.name else ""
    used = "" if part.condition == "new" else f"{part.condition} "
    return f"{part.count} {used}{kind}{many}{name} of {size_words(part.capacity_bytes)}{price}"


def _host(named: str, parts: list[Part], made: _Made, fresh: Any) -> tuple[Host | None, str]:
    plan = made.plan
    if not named:
        return None, ""
    for host in plan.hosts:
        if named.casefold() == host.name.casefold():
            return host, f"into {host.name}: "
    if not plan.sites:
        made.add("sites", Site(id=fresh(plan, "sites"), name="home"))
    wanted = {f: sum(p.count for p in parts if p.form == f) for f in BAY_FIELDS}
    if wanted["m.2"] > 24 or max(wanted.values()) > 60:
        raise LineError("no box has so many bays: make two of it")
    host = Host.model_validate(
        {
            "id": fresh(plan, "hosts"),
            "name": named[:80],
            "kind": "small_box" if sum(wanted.values()) <= 8 else "tower",
            "site": made.plan.sites[0].id,
            "default_passwords_changed": False,
            **{BAY_FIELDS[f]: n for f, n in wanted.items()},
        }
    )
    made.add("hosts", host)
    return host, f"a new box {host.name} with {sum(wanted.values())} bays; "


def _disks(part: Part, host: Host | None, made: _Made, fresh: Any) -> list[str]:
    places = []
    for _ in range(part.count):
        taken = {d.label.casefold() for d in made.plan.disks}
        stem = part.name or "D"
        gap = " " if part.name else ""
        label = next(n for i in range(1, 1000) if (n := f"{stem}{gap}{i}").casefold() not in taken)
        disk = Disk(
            id=fresh(made.plan, "disks"),
            label=label,
            capacity_bytes=part.capacity_bytes,
            kind=part.kind,
            form=part.form,
            condition=part.condition,
            recording=part.recording if part.kind == "hdd" else "cmr",
            price_minor=part.price_minor,
            mb_per_s=SPEEDS[part.kind],
        )
        hosts = [host] if host else [h for h in made.plan.hosts if not h.closed]
        spot = next(((h, b) for h in hosts if (b := _free(h, disk, made.plan))), None)
        if spot:
            disk = disk.model_copy(update={"host": spot[0].id, "bay": spot[1]})
            places.append(spot[0].name)
        elif made.plan.sites:
            site = next(
                (s for s in made.plan.sites if host and s.id == host.site), made.plan.sites[0]
            )
            disk = disk.model_copy(update={"shelf": site.id})
            places.append(f"the shelf at {site.name}")
        else:
            made.add("sites", Site(id=fresh(made.plan, "sites"), name="home"))
            disk = disk.model_copy(update={"shelf": made.plan.sites[0].id})
            places.append("the shelf at home")
        made.add("disks", disk)
    return places


def _free(host: Host, disk: Disk, plan: Plan) -> str | None:
    full = {d.bay for d in plan.disks if d.host == host.id}
    # A USB port is nobody's first choice.
    able = [
        b
        for b in bays(host)
        if b not in full and not b.startswith("usb") and misfit(disk, b) is None
    ]
    exact = [b for b in able if b.startswith(disk.form)]
    return next(iter(exact or able), None)


def _spots(places: list[str]) -> str:
    counted = {p: places.count(p) for p in dict.fromkeys(places)}
    if len(counted) == 1:
        place = next(iter(counted))
        return place if place.startswith("the shelf") else f"into bays of {place}"
    return ", ".join(f"{n} {'on' if p.startswith('the') else 'in'} {p}" for p, n in counted.items())


def completions(text: str, plan: Plan) -> list[str]:
    """How a line that was begun can go on: sizes and names of the price list, names of hosts."""
    head, sep, last = text.rpartition(",")
    before = f"{head}{sep} " if sep else ""
    begun = last.strip().lower()
    completed = []
    count = re.match(r"^(?:[^:]*:\s*)?(?:[0-9]+\s*[x×*]\s*)?", last, re.IGNORECASE)
    stem = count.group(0) if count else ""
    minor = currency_minor(plan.currency)
    for offer in plan.offers:
        kind = "" if offer.kind == "hdd" else f"{offer.kind} "
        size = f"{offer.capacity_bytes / 1e12:.3g}TB"
        price = f"{offer.price_minor / minor:g}"
        completed.append(f"{before}{stem.lstrip()}{kind}{size} {offer.label} {price} each")
    if not sep and ":" not in text:
        completed += [f"{h.name}: {text.strip()}" for h in plan.hosts if not h.closed]
    return [f for f in completed if begun.partition(" ")[0] in f.lower()][:8]
