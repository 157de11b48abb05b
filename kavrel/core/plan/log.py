"""What was done, and a plan's own values for what is assumed."""

from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.value import Shown, Value
from kavrel.core.quantities import Day, Id, MaybeLine, Note, real, whole

LogKind = Literal[
    "disk_check",
    "smart_reading",
    "scrub",
    "replacement",
    "backup_run",
    "restore_test",
    "shelf_copy",
    "update",
    "password_change",
    "firmware",
    "incident",
    "set_up",
    "exercise",
]
AboutKind = Literal["disk", "pool", "dataset", "job", "host", "account", "site"]
# What an entry can be about, and the collection that has it.
ABOUT: dict[AboutKind, str] = {
    "disk": "disks",
    "pool": "pools",
    "dataset": "datasets",
    "job": "jobs",
    "host": "hosts",
    "account": "accounts",
    "site": "sites",
}


class LogEntry(Value):
    """What was done, when, by whom, to what, and how it went."""

    ESSENTIALS = ("kind", "about", "on", "result", "note")

    id: Id
    kind: Annotated[
        LogKind,
        Shown(
            "What was done",
            words={
                "disk_check": "disk surface check",
                "smart_reading": "SMART reading or test",
                "scrub": "scrub or parity check",
                "replacement": "replacement",
                "backup_run": "backup run",
                "restore_test": "restore test",
                "shelf_copy": "shelf copy",
                "update": "updates",
                "password_change": "password change",
                "firmware": "firmware",
                "incident": "incident",
                "set_up": "set up",
                "exercise": "exercise of a night that may come",
            },
        ),
    ]
    about_kind: AboutKind
    about: Annotated[Id, Shown("To what")]
    on: Annotated[Day, Shown("On")]
    result: Annotated[
        Literal["ok", "failed", "noted"],
        Shown("Result", words={"ok": "ok", "failed": "failed", "noted": "noted"}),
    ] = "ok"
    who: Annotated[MaybeLine, Shown("By")] = ""
    minutes: Annotated[int, whole(0, 100_000), Shown("Took", unit="minutes")] | None = None
    note: Annotated[Note, Shown("Note, evidence")] = ""


class AssumptionValue(Value):
    """A plan's own value for one of the assumptions in `assumptions.REGISTRY`."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
    value: Annotated[float, real(-1e18, 1e18)]
    note: MaybeLine = ""
