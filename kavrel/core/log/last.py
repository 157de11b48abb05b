"""The newest entry of the log that says that something went well."""

from datetime import date

from kavrel.core.index import Index
from kavrel.core.plan import AboutKind, LogKind


def last_good(index: Index, kind: LogKind, about_kind: AboutKind, about: str) -> date | None:
    """Day of the newest entry of this kind about this thing that went well."""
    return index.went_well.get((kind, about_kind, about))
