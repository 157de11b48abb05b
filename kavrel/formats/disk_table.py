"""A table of disks read in: CSV (RFC 4180), or what a spreadsheet puts on the clipboard.

The columns are those of the drive list that Kavrel writes, in any order, some of them; the first row
names them. A disk that is there, by its serial or else its label, is changed; the others are new.
"""

import csv
import io
from collections.abc import Iterator
from typing import Any

from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.index import Index
from kavrel.core.plan import Disk, Plan
from kavrel.core.quantities import currency_minor
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.offer import Takes
from kavrel.core.seen.taking import Taker

NAMES = {
    "label": ("label", "disk", "name", "tray"),
    "serial": ("serial", "serial number", "s/n"),
    "capacity_bytes": ("capacity_bytes", "bytes"),
    "capacity": ("capacity", "size", "sold as"),
    "tb": ("tb",),
    "kind": ("kind", "type"),
    "form": ("form", "form factor"),
    "condition": ("condition",),
    "batch": ("batch",),
    "price": ("price", "paid"),
    "mb_per_s": ("mb_per_s", "mb/s", "speed"),
    "bought_on": ("bought_on", "bought on", "bought"),
    "host": ("host", "box", "in host"),
    "bay": ("bay",),
    "shelf": ("shelf", "site"),
}
MOST = 500
FORMULA_MARK = "'"


def is_table(text: str) -> bool:
    """Whether the first row names a size, and what the disk is called or its serial."""
    head = set(_columns(text.lstrip().split("\n", 1)[0]).values())
    return bool(head & {"capacity_bytes", "capacity", "tb"}) and bool(head & {"label", "serial"})


def _parting(line: str) -> str:
    return max(("\t", ";", ","), key=line.count)


def _columns(line: str) -> dict[int, str]:
    try:
        cells = next(csv.reader([line], delimiter=_parting(line)), [])
    except csv.Error:
        return {}
    by_name = {n: ours for ours, names in NAMES.items() for n in names}
    meaning = {i: by_name.get(c.strip().lower(), "") for i, c in enumerate(cells)}
    return {i: n for i, n in meaning.items() if n}


def take_table(text: str, plan: Plan) -> Takes:
    """What the plan could take over of the table; a row that is wrong says why, by its number."""
    lines = text.lstrip("\ufeff\n ").splitlines()
    columns = _columns(lines[0])
    taker = Taker(plan, Machine(host="", at=0.0))
    rows = csv.reader(io.StringIO("\n".join(lines[1:])), delimiter=_parting(lines[0]))
    for number, cells in enumerate(_read(rows, taker), 2):
        if number > MOST:
            taker.not_taken.append(f"row {number} and on: at most {MOST} disks in one table")
            break
        row = {name: cells[i].strip() for i, name in columns.items() if i < len(cells)}
        row = {k: v.removeprefix(FORMULA_MARK) for k, v in row.items() if v}
        if row:
            _row(number, row, taker)
    taker.settle()
    return taker.takes()


def _read(rows: Iterator[list[str]], taker: Taker) -> Iterator[list[str]]:
    try:
        yield from rows
    except csv.Error as error:
        taker.not_taken.append(f"the rest of the table: {error}")


def _row(number: int, row: dict[str, str], taker: Taker) -> None:
    index = Index(taker.plan)
    old = next(
        (
            d
            for d in taker.plan.disks
            if (row.get("serial") and d.serial.casefold() == row["serial"].casefold())
            or (not row.get("serial") and d.label.casefold() == row.get("label", "").casefold())
        ),
        None,
    )
    try:
        item = _item(row, index, old)
    except (ValueError, KeyError) as error:
        taker.not_taken.append(f"row {number}: {error.args[0] if error.args else error}")
        return
    name = str(item.get("label") or f"row {number}")
    taker.take("disks", name, item, why=f"row {number}", item_id=old.id if old else None)


def _item(row: dict[str, str], index: Index, old: Disk | None) -> dict[str, Any]:
    item: dict[str, Any] = old.model_dump(mode="json") if old else {}
    size = (
        row.get("capacity_bytes")
        or row.get("capacity")
        or (f"{row['tb']}TB" if "tb" in row else "")
    )
    if size:
        try:
            item["capacity_bytes"] = parse_capacity(size.replace(",", "."))
        except CapacityError as error:
            raise ValueError(f"capacity: {error}") from error
    elif old is None:
        raise ValueError("capacity: there is none")
    for field in ("label", "serial", "form", "condition", "batch", "bought_on"):
        if field in row:
            item[field] = row[field]
    item.setdefault("label", f"row {row.get('serial', '')}".strip())
    if "kind" in row:
        item["kind"] = row["kind"].lower()
        item.setdefault("form", {"nvme": "m.2", "ssd": "2.5"}.get(item["kind"], "3.5"))
    if "mb_per_s" in row:
        item["mb_per_s"] = _number("speed", row["mb_per_s"])
    if "price" in row:
        minor = currency_minor(index.plan.currency)
        item["price_minor"] = round(_number("price", row["price"]) * minor)
    if "host" in row:
        item |= {"host": _named(index.plan.hosts, "host", row["host"]), "shelf": None}
        item["bay"] = row.get("bay") or item.get("bay")
    elif "shelf" in row:
        item |= {"shelf": _named(index.plan.sites, "site", row["shelf"]), "host": None, "bay": None}
    return item


def _number(what: str, text: str) -> float:
    try:
        return float(text.replace(",", ".").replace(" ", ""))
    except ValueError:
        raise ValueError(f"{what}: {text} is no number") from None


def _named(things: Any, what: str, name: str) -> str:
    for thing in things:
        if name.casefold() in (thing.name.casefold(), thing.id):
            return str(thing.id)
    raise ValueError(f"{what}: there is no {name}")
