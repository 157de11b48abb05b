"""`smartctl -j -a DISK`, and the text that it prints without -j. Source: smartctl(8), smartmontools."""

import json
import re
from typing import Any

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number

# Attributes by their number: the names of vendors differ. Source: smartctl(8), ATA ACS annex.
COUNTS = {
    5: "reallocated", 197: "pending", 187: "uncorrectable", 198: "uncorrectable", 199: "crc", 9: "hours",
}  # fmt: skip
WORN = "Percentage Used Endurance Indicator"  # ATA ACS-3, device statistics
# A row of the attributes: six more columns to the raw value, or four as `-x` has it.
ROW = re.compile(
    r"^\s*(?P<id>[0-9]{1,3})\s+\S+\s+(?:0x[0-9a-f]{4}(?:\s+\S+){6}|[POSRCK+-]{6,7}(?:\s+\S+){4})"
    r"\s+(?P<raw>[0-9]+)"
)
# A row of the log of tests, the latest first: what was tested, and how it ended.
TESTED = re.compile(r"(?m)^#[ 0-9]{2}  (\w+) .*?  +(\w.*?)  +[0-9]{2}% ")
WELL = "Completed without error"
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
            # Temperature and hours apart, the raw value is the count; two tell of what could not be read.
            got[name] = max(n for n in (raw, got.get(name), 0) if n is not None)
        elif row.get("id") == WRITTEN and raw is not None:
            got["written_bytes"] = raw * (got["logical"] or UNIT)
    log = said.get("nvme_smart_health_information_log") or {}
    if log:
        units = number(log.get("data_units_written"))
        got["written_bytes"] = None if units is None else units * NVME_UNIT
        got["wear_percent"] = number(log.get("percentage_used"))
        got["uncorrectable"] = number(log.get("media_errors"))
    got.setdefault("wear_percent", number(_worn(said)))
    for tests in (said.get("ata_smart_self_test_log") or {}).values():
        failed, outdated = (
            number(tests.get(f"error_count_{x}")) or 0 for x in ("total", "outdated")
        )
        got["failed_tests"] = failed - outdated
    notes.smart[device or serial] = {k: v for k, v in got.items() if v not in (None, "")}
    notes.looked_at.add("smart")
    listing.took()


def _worn(said: dict[str, Any]) -> Any:
    """Share of its rated writes that flash has taken, in percent: each version says it elsewhere."""
    pages = (said.get("ata_device_statistics") or {}).get("pages") or ()
    rows = [row for page in pages for row in page.get("table") or () if row.get("name") == WORN]
    told = [row.get("value") for row in rows]
    told.append(said.get("scsi_percentage_used_endurance_indicator"))
    told.append((said.get("endurance_used") or {}).get("current_percent"))
    return next((x for x in told if x is not None), None)


def read_text(listing: Listing, notes: Notes) -> None:
    """The text form: its thousands are parted as the machine's language has it."""
    fields: dict[str, str] = {}
    tests = TESTED.findall(listing.text)
    well = next(
        (n for n, (kind, how) in enumerate(tests) if kind == "Extended" and how == WELL), None
    )
    for line in listing.text.splitlines():
        name, colon, value = line.partition(":")
        row = ROW.match(line)
        if row and (name_of := COUNTS.get(int(row["id"]))):
            fields[name_of] = str(max(int(row["raw"]), int(fields.get(name_of, 0))))
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
    if "smart self-test log structure revision number 1" in listing.text.lower():
        got["failed_tests"] = sum("failure" in how for _, how in tests[:well])
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
