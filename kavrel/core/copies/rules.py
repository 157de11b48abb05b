"""The rules of retention as a plan has them: which there are, in words, and which no tool keeps to.

What follows from them, point by point, is in `copies.retention`.
"""

from itertools import pairwise

from kavrel.core.plan import Retention

# The calendar's rules from fine to coarse, with the longest such period in days.
PERIOD_DAYS = {"hourly": 1 / 24, "daily": 1.0, "weekly": 7.0, "monthly": 31.0, "yearly": 366.0}
# Points that thinning lets stand reach back as far as anybody looks.
THIN_SPAN_DAYS = 1500.0


# What says how the rules count, and keeps nothing by itself.
MANNERS = ("counting", "of_period")


def rules_of(retention: Retention) -> list[str]:
    """Names of the fields that keep something."""
    return [n for n in Retention.model_fields if n not in MANNERS and getattr(retention, n)]


def keeps_nothing(retention: Retention) -> bool:
    """Whether no rule keeps anything."""
    return not rules_of(retention)


def complaint(retention: Retention) -> tuple[str, str] | None:
    """The field and the reason why no tool can keep to these rules, or None."""
    windows = retention.windows
    if any(a.days >= b.days for a, b in pairwise(windows)):
        return "windows", "each window reaches further back than the one before it"
    order = list(PERIOD_DAYS)
    if any(order.index(a.every) >= order.index(b.every) for a, b in pairwise(windows)):
        return "windows", "each window is coarser than the one before it"
    beside = [n for n in rules_of(retention) if n != "windows"]
    if windows and beside:
        said = "windows of age stand alone: a point that another rule keeps would serve them too"
        return beside[0], said
    return None


def span_days(retention: Retention, step_days: float) -> float:
    """How many days back the oldest kept point can lie, at most.

    Where coarser rules count beyond what finer ones keep, each reaches back from where those end.
    """
    plain = max(float(retention.all_days), retention.last * step_days)
    counts: dict[float, int] = {
        days: getattr(retention, name) for name, days in PERIOD_DAYS.items()
    }
    each = [(count + 1) * max(days, step_days) for days, count in counts.items() if count]
    beyond = retention.counting == "beyond"
    spans: list[float] = [
        plain + sum(each) if beyond else max(plain, *each, 0.0),
        THIN_SPAN_DAYS if retention.thin or retention.hold_until else 0.0,
        float(retention.trash_days),
        float(retention.windows[-1].days if retention.windows else 0),
    ]
    return max(spans) + step_days


ONE_A = {"hourly": "hour", "daily": "day", "weekly": "week", "monthly": "month", "yearly": "year"}


def windows_in_words(retention: Retention) -> str:
    """The windows of age as people say them."""
    said = [f"one a{'n' * (w.every == 'hourly')} {ONE_A[w.every]}" for w in retention.windows]
    ends = [f"{w.days} day{'s' * (w.days > 1)}" for w in retention.windows]
    parts = [f"{one} for {end}" for one, end in zip(said[:-1], ends[:-1], strict=True)]
    return ", ".join([*parts, f"{said[-1]} until {ends[-1]}"])


def in_words(retention: Retention) -> str:
    """The rules as people say them."""
    parts = []
    if retention.all_days:
        parts.append(f"all for {retention.all_days} days")
    if retention.last:
        parts.append("only the newest" if retention.last == 1 else f"the last {retention.last}")
    periods = [f"{getattr(retention, n)} {n}" for n in PERIOD_DAYS if getattr(retention, n)]
    parts += periods
    if retention.windows:
        parts.append(windows_in_words(retention))
    if retention.thin:
        parts.append(f"thinned to {retention.thin}")
    if retention.trash_days:
        parts.append(f"trash can {retention.trash_days} days")
    if retention.hold_until:
        parts.append(f"all held until {retention.hold_until}")
    manner = []
    if retention.of_period == "first" and (periods or retention.windows):
        manner.append("the first of each")
    if retention.counting == "each" and len(periods) + bool(retention.last) > 1:
        manner.append("each rule on its own")
    said = " + ".join(parts) or "only the newest"
    return f"{said} ({', '.join(manner)})" if manner else said
