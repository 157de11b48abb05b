"""values.txt: what is entered in the web page of a box whose firmware is its own."""

from datetime import date

from kavrel.core.plan import Plan
from kavrel.core.works.page import page_works
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render


def page_values(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """Part after part, each a title and its lines of label and value."""
    box = Box(plan, host)
    parts = list(page_works(box.index, host, today))
    return render("values.j2", host=box.host, plan=plan, origin=origin, parts=parts)
