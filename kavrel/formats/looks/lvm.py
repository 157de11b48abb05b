"""`pvs`, `vgs` and `lvs` with --reportformat json. Source: lvmreport(7)."""

import json
from collections.abc import Callable, Iterator
from typing import Any

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number


def _rows(listing: Listing, key: str) -> Iterator[dict[str, Any]]:
    for report in json.loads(listing.text)["report"]:
        for row in report.get(key, ()):
            listing.took()
            yield row


def read_pvs(listing: Listing, notes: Notes) -> None:
    """Physical volumes, and whose they are."""
    for row in _rows(listing, "pv"):
        group = notes.volumes.setdefault(row["vg_name"] or "", {"pvs": [], "lvs": []})
        group["pvs"].append(row["pv_name"])


def read_vgs(listing: Listing, notes: Notes) -> None:
    """Volume groups and their room."""
    for row in _rows(listing, "vg"):
        group = notes.volumes.setdefault(row["vg_name"], {"pvs": [], "lvs": []})
        group |= {"size": number(row["vg_size"]), "free": number(row["vg_free"])}


def read_lvs(listing: Listing, notes: Notes) -> None:
    """Logical volumes: their kind says whether they span or mirror."""
    for row in _rows(listing, "lv"):
        group = notes.volumes.setdefault(row["vg_name"], {"pvs": [], "lvs": []})
        group["lvs"].append(
            {"name": row["lv_name"], "path": row.get("lv_path") or "", "type": row.get("segtype")}
        )


def _like(key: str) -> Callable[[str], bool]:
    return lambda text: '"report"' in text[:80] and f'"{key}"' in text[:200]


PVS = ListingReader("pvs", "pvs --reportformat json", read_pvs, _like("pv"))
VGS = ListingReader("vgs", "vgs --reportformat json", read_vgs, _like("vg"))
LVS = ListingReader("lvs", "lvs --reportformat json", read_lvs, _like("lv"))
