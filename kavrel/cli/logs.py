"""The server's log: one line for each answer and each fault, or one JSON object a line."""

import json
import logging
import sys
from datetime import UTC, datetime
from typing import Literal

LogStyle = Literal["line", "json", "off"]


class JsonLines(logging.Formatter):
    """One JSON object a line (JSON Lines)."""

    def format(self, record: logging.LogRecord) -> str:
        """The record with what is known of the visitor."""
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "said": record.getMessage(),
        }
        for name in ("address", "who"):
            if value := getattr(record, name, ""):
                line[name] = value
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


class OneLine(logging.Formatter):
    """Plain text, one line each: what is between control characters stays on it."""

    def format(self, record: logging.LogRecord) -> str:
        """Moment, level, what was said, and who it was."""
        moment = datetime.fromtimestamp(record.created, UTC)
        who = " ".join(filter(None, (getattr(record, n, "") for n in ("address", "who"))))
        said = record.getMessage()
        if record.exc_info:
            said += " | " + self.formatException(record.exc_info)
        clean = "".join(c if c.isprintable() else " " for c in said)
        return f"{moment:%Y-%m-%dT%H:%M:%SZ} {record.levelname.lower()} {clean} {who}".rstrip()


def begin(style: LogStyle) -> None:
    """Sends the log to standard error; `off` leaves faults alone in it."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonLines() if style == "json" else OneLine())
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.WARNING)
    logging.getLogger("kavrel").setLevel(logging.WARNING if style == "off" else logging.INFO)
