"""`smartctl -j -a DISK`, and the text that it prints without -j. Source: smartctl(8), smartmontools."""

import json
import re
from typing import Any

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number

# Attributes by their number: the names of vendors differ. Source: smartctl(8), ATA ACS annex.
COUNTS = {5: "reallocated", 197: "pending", 198: "uncorrectable", 199: "crc", 9: "hours"}
WRITTEN = 241  # total LBAs written
UNIT = 512
NVME_UNIT = (
    512_000  # a data unit is a thousand sectors of 512 bytes (NVM Express base specification)
)


def read_json(listing: Listing, notes: Notes) -> None:
    """One disk's own readings."""
    said = json.loads(listing.text)
    device = str(said.get("device", {}).get("name") or "")
    serial = str(said.get("serial_number") or "")
    if not device and not serial:
        # A virtual disk, a card in between, a disk that sleeps: the tool says why it says nothing.
        told = [str(m.get("string", m)) for m in said.get("smartctl", {}).get("messages") or ()]
        listing.why = "; ".join(told) or "no disk in it"
        listing.took()
        return
    got: dict[str, Any] = {
        "device": device,
        "serial": serial,
        "protocol": said["device"].get("protocol"),
    }
    got["model"] = said.get("model_name") or said.get("scsi_model_name") or ""
    got["capacity_bytes"] = number((said.get("user_capacity") or {}).get("bytes"))
    got["rotation_rpm"] = number(said.get("rotation_rate"))
    got["form"] = _form(str((said.get("form_factor") or {}).get("name") or ""))
    got["logical"], got["physical"] = (
        said.get("logical_block_size"),
        said.get("physical_block_size"),
    )
    got["hours"] = number((said.get("power_on_time") or {}).get("hours"))
    got["temperature"] = number((said.get("temperature") or {}).get("current"))
    got["healthy"] = (said.get("smart_status") or {}).get("passed")
    zoned = str((said.get("zoned_device") or {}).get("string") or said.get("trim", ""))
    got["zoned"] = "host" in zoned.lower()
    for row in (said.get("ata_smart_attributes") or {}).get("table") or ():
        name, raw = COUNTS.get(row.get("id")), number((row.get("raw") or {}).get("value"))
        if name == "hours":
            continue  # some vendors count minutes there: power_on_time has it right
        if name:
            # Temperature and hours apart, the raw value is the count.
            got[name] = raw
        elif row.get("id") == WRITTEN and raw is not None:
            got["written_bytes"] = raw * (got["logical"] or UNIT)
    log = said.get("nvme_smart_health_information_log") or {}
    if log:
        units = number(log.get("data_units_written"))
        got["written_bytes"] = None if units is None else units * NVME_UNIT
        got["wear_percent"] = number(log.get("percentage_used"))
        got["uncorrectable"] = number(log.get("media_errors"))
    used = (said.get("endurance_used") or {}).get("current_percent")
    got.setdefault("wear_percent", number(used))
    notes.smart[device or serial] = {k: v for k, v in got.items() if v not in (None, "")}
    notes.looked_at.add("smart")
    listing.took()


def read_text(listing: Listing, notes: Notes) -> None:
    """The text form: its thousands are parted as the machine's language has it."""
    fields: dict[str, str] = {}
    for line in listing.text.splitlines():
        name, colon, value = line.partition(":")
        row = re.match(r"^\s*([0-9]{1,3})\s+\S+\s+0x[0-9a-f]{4}\s.*\s-?\s+([0-9]+)(?:\s.*)?$", line)
        if row and int(row.group(1)) in COUNTS:
            fields[COUNTS[int(row.group(1))]] = row.group(2)
        elif colon and value.strip():
            fields[name.strip().lower()] = value.strip()
    capacity = re.match(
        r"([0-9][0-9.,\s'\u00a0\u202f]*)",
        fields.get("user capacity") or fields.get("total nvm capacity") or "",
    )
    got: dict[str, Any] = {
        "device": "",
        "serial": fields.get("serial number", ""),
        "model": fields.get("device model")
        or fields.get("model number")
        or fields.get("product", ""),
        "capacity_bytes": number(re.sub(r"[^0-9]", "", capacity.group(1))) if capacity else None,
        "form": _form(fields.get("form factor", "")),
        "hours": number(
            re.sub(r"[^0-9]", "", fields.get("power on hours", "")) or fields.get("hours")
        ),
    }
    rate = fields.get("rotation rate", "")
    got["rotation_rpm"] = 0 if rate.lower().startswith("solid") else number(rate.split(" ")[0])
    sectors = re.findall(
        r"([0-9]+) bytes", fields.get("sector sizes") or fields.get("sector size", "")
    )
    if sectors:
        got["logical"], got["physical"] = int(sectors[0]), int(sectors[-1])
    if "total nvm capacity" in fields or "nvme version" in fields:
        got["protocol"] = "NVMe"
        used = re.sub(r"[^0-9]", "", fields.get("percentage used", ""))
        got["wear_percent"] = number(used) if used else None
    for name in ("reallocated", "pending", "uncorrectable", "crc"):
        got[name] = number(fields.get(name))
    health = fields.get("smart overall-health self-assessment test result", "")
    got["healthy"] = {"PASSED": True, "FAILED!": False}.get(health)
    if not got["serial"] and got["capacity_bytes"] is None:
        listing.puzzled("no serial number and no capacity in it")
        return
    notes.smart[got["serial"] or "pasted"] = {k: v for k, v in got.items() if v not in (None, "")}
    listing.took()


def _form(text: str) -> str | None:
    """2.5 and 3.5 inches, and the small cards."""
    if "3.5" in text:
        return "3.5"
    if "2.5" in text:
        return "2.5"
    return "m.2" if "M.2" in text else None


SMARTCTL = ListingReader(
    "smartctl",
    "smartctl -j -a",
    read_json,
    lambda t: t.lstrip().startswith("{") and '"smartctl"' in t[:2000],
)
SMARTCTL_TEXT = ListingReader(
    "smartctl-text",
    "smartctl -a",
    read_text,
    lambda t: "=== START OF INFORMATION SECTION ===" in t,
)
