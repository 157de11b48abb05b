"""What `smartctl -j -a` of 7.3 tells of a disk.

Source: smartctl(8); held against the tool's own reading of an ATA disk's answers.
"""

import json
from collections.abc import Mapping, Sequence
from typing import Any

from kavrel.rig.smart.disk import (
    DATABASE,
    FIRMWARE,
    FORMS,
    POLLING,
    TESTS,
    Attribute,
    SelfTest,
    Smart,
    clock,
)  # fmt: skip

FLAGS = ("prefailure", "updated_online", "performance", "error_rate", "event_count", "auto_keep")
LETTERS = "POSRCK"


def document(disk: Smart, words: Sequence[str], wear: bool = False) -> dict[str, Any]:
    """All that is told; `words` are the call's, `wear`: `-l ssd` is among them."""
    nvme = disk.disk.kind == "nvme"
    told = said(words, disk.moment, disk.code)
    told["device"] = {
        "name": disk.device,
        "info_name": disk.device if nvme else f"{disk.device} [SAT]",
        "type": "nvme" if nvme else "sat",
        "protocol": "NVMe" if nvme else "ATA",
    }
    told["model_name"] = disk.model
    told["serial_number"] = disk.disk.serial
    told["firmware_version"] = FIRMWARE
    size, (logical, physical) = disk.disk.capacity_bytes, disk.sectors
    told["user_capacity"] = {"blocks": size // logical, "bytes": size}
    told["logical_block_size"] = logical
    if nvme:
        return told | _nvme(disk)
    told |= {"physical_block_size": physical} | _about(disk)
    told["smart_status"] = {"passed": disk.passes}
    told["ata_smart_data"] = _able(disk)
    told["ata_smart_attributes"] = {"revision": 16, "table": [_row(a) for a in disk.attributes]}
    told["power_on_time"] = {"hours": disk.reading("hours")}
    told["temperature"] = {"current": disk.warm}
    told["ata_smart_error_log"] = {"summary": {"revision": 1, "count": 0}}
    told["ata_smart_self_test_log"] = {"standard": _tests(disk)}
    rests = {"value": disk.test_status, "string": "Not_testing"}
    told["ata_smart_selective_self_test_log"] = {
        "revision": 1,
        "table": [{"lba_min": 0, "lba_max": 0, "status": rests}] * 5,
        "flags": {"value": 0, "remainder_scan_enabled": False},
        "power_up_scan_resume_minutes": 0,
    }
    if wear and disk.flash:
        told["ata_device_statistics"] = {"pages": [_worn(disk)]}
    return told


def said(words: Sequence[str], moment: float, code: int, why: str = "") -> dict[str, Any]:
    """The head of each document; `why`: the error that ends it."""
    tool: dict[str, Any] = {
        "version": [7, 3],
        "svn_revision": "5338",
        "platform_info": "x86_64-linux-6.1.0",
        "build_info": "(local build)",
        "argv": ["smartctl", *words],
    }
    if why:
        tool["messages"] = [{"string": why, "severity": "error"}]
    else:
        tool["drive_database_version"] = {"string": DATABASE}
    return {
        "json_format_version": [1, 0],
        "smartctl": tool | {"exit_status": code},
        "local_time": {"time_t": int(moment), "asctime": clock(moment)},
    }


def printed(told: Mapping[str, Any]) -> str:
    """As the tool sets it."""
    return json.dumps(told, indent=2) + "\n"


def _row(row: Attribute) -> dict[str, Any]:
    has = {name: bool(row.flags >> n & 1) for n, name in enumerate(FLAGS)}
    letters = "".join(x if row.flags >> n & 1 else "-" for n, x in enumerate(LETTERS))
    return {
        "id": row.id,
        "name": row.name,
        "value": row.value,
        "worst": row.value,
        "thresh": row.thresh,
        "when_failed": "now" if row.failing else "",
        "flags": {"value": row.flags, "string": f"{letters} "} | has,
        "raw": {"value": row.raw, "string": str(row.raw)},
    }


def _about(disk: Smart) -> dict[str, Any]:
    number, name = FORMS[disk.disk.form]
    fast = {"string": "6.0 Gb/s", "units_per_second": 60, "bits_per_unit": 100_000_000}
    trims = {"supported": True, "deterministic": False, "zeroed": False}
    return {
        "rotation_rate": 0 if disk.flash else 7200,
        "form_factor": {"ata_value": number, "name": name},
        "trim": trims if disk.flash else {"supported": False},
        "in_smartctl_database": False,
        "ata_version": {
            "string": "ACS-3 (minor revision not indicated)",
            "major_value": 2032,
            "minor_value": 0,
        },
        "sata_version": {"string": "SATA 3.2", "value": 255},
        "interface_speed": {"max": {"sata_value": 14} | fast, "current": {"sata_value": 3} | fast},
        "smart_support": {"available": True, "enabled": True},
    }


def _able(disk: Smart) -> dict[str, Any]:
    status = {"value": 0, "string": "completed without error", "passed": True}
    if disk.test_status:
        told = "completed with error (read test element)"
        status = {"value": disk.test_status, "string": told, "passed": False}
    return {
        "offline_data_collection": {
            "status": {"value": 130, "string": "was completed without error", "passed": True},
            "completion_seconds": 0,
        },
        "self_test": {
            "status": status,
            "polling_minutes": {
                "short": POLLING["short"],
                "extended": POLLING["long"],
                "conveyance": 0,
            },
        },
        "capabilities": {
            "values": [123, 3],
            "exec_offline_immediate_supported": True,
            "offline_is_aborted_upon_new_cmd": False,
            "offline_surface_scan_supported": True,
            "self_tests_supported": True,
            "conveyance_self_test_supported": True,
            "selective_self_test_supported": True,
            "attribute_autosave_enabled": True,
            "error_logging_supported": True,
            "gp_logging_supported": True,
        },
    }


def _tests(disk: Smart) -> dict[str, Any]:
    if not disk.tests:
        return {"revision": 1, "count": 0}
    every, since = disk.failed_tests
    return {
        "revision": 1,
        "table": [_test(disk, t) for t in disk.logged],
        "count": len(disk.logged),
        "error_count_total": every,
        "error_count_outdated": every - since,
    }


def _test(disk: Smart, test: SelfTest) -> dict[str, Any]:
    number, name = TESTS[test.kind]
    told: dict[str, Any] = {"type": {"value": number, "string": name}}
    if not test.failed:
        told["status"] = {"value": 0, "string": "Completed without error", "passed": True}
        return told | {"lifetime_hours": test.hours}
    told["status"] = {
        "value": 0x79,
        "string": "Completed: read failure",
        "remaining_percent": 90,
        "passed": False,
    }
    return told | {"lifetime_hours": test.hours, "lba": disk.bad_sector}


def _worn(disk: Smart) -> dict[str, Any]:
    """What the disk counts itself. Source: ATA ACS-3, device statistics, page 7."""
    flags = {
        "value": 0xC0,
        "string": "V--- ",
        "valid": True,
        "normalized": False,
        "supports_dsn": False,
        "monitored_condition_met": False,
    }
    used = {
        "offset": 8,
        "name": "Percentage Used Endurance Indicator",
        "size": 1,
        "value": disk.reading("wear_percent"),
        "flags": flags,
    }
    return {"number": 7, "name": "Solid State Device Statistics", "revision": 1, "table": [used]}


def _nvme(disk: Smart) -> dict[str, Any]:
    log = disk.health_log
    return {
        "nvme_version": {"string": "1.4", "value": 0x10400},
        "nvme_number_of_namespaces": 1,
        "smart_support": {"available": True, "enabled": True},
        "smart_status": {"passed": True, "nvme": {"value": 0}},
        "nvme_smart_health_information_log": log,
        "temperature": {"current": log["temperature"]},
        "power_on_time": {"hours": log["power_on_hours"]},
    }
