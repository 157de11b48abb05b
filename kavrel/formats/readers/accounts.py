"""/etc/passwd and /etc/group listings read back into accounts and groups. Source: passwd(5)."""

import re

from kavrel.core.plan import Plan
from kavrel.formats.readers.report import ReadItem, Report, numbered, printable

LOGIN = re.compile(r"[a-z_][a-z0-9_-]{0,30}")
FIRST_PERSON, LAST_PERSON = 1000, 59_999
SWITCHED_OFF = ("*", "!", "!!", "!*")


def read_passwd(text: str, plan: Plan, host: str) -> Report:
    """Accounts of people and machines; the system's own are no matter."""
    report = Report(kind="passwd")
    mine = {a.login: a for a in plan.accounts}
    seen: set[str] = set()
    for number, line in numbered(text, report):
        parts = line.split(":")
        if len(parts) != 7 or not parts[2].isdecimal():
            report.say(number, line, "not understood", "seven fields with a number in the third")
            continue
        login, locked, uid, _, name, _, _ = parts
        seen.add(login)
        if not FIRST_PERSON <= int(uid) <= LAST_PERSON and login not in mine:
            report.say(number, line, "no matter", "an account of the system")
            continue
        if not LOGIN.fullmatch(login):
            report.say(number, line, "not understood", f"{login} is no login that can be planned")
            continue
        report.say(number, line, "understood")
        old = mine.get(login)
        others = {a.number for a in plan.accounts if a.login != login}
        full = printable(name.partition(",")[0]) or login
        base = old.model_dump(mode="json") if old else {"login": login, "full_name": full}
        item = {**base, "enabled": locked not in SWITCHED_OFF, "number": _number(uid, others)}
        what = "new" if old is None else "same" if item == base else "changed"
        number_now = item["number"] if old and item["number"] != old.number else None
        why = f"its number here is {number_now}" if number_now else ""
        report.proposals.append(
            ReadItem(collection="accounts", what=what, name=login, item=item, why=why)
        )
        if what != "same":
            report.differences.append(f"account {login} is {what} against the plan")
    for login, account in mine.items():
        if login not in seen and account.enabled:
            report.differences.append(f"account {login} is in the plan and not in the file")
    return report


def _number(text: str, others: set[int | None]) -> int | None:
    """What a plan can say of it: no number of the system's own, none that is another's by the plan."""
    number = int(text)
    return number if FIRST_PERSON <= number <= LAST_PERSON and number not in others else None


def read_group(text: str, plan: Plan, host: str) -> Report:
    """Groups with members that the plan knows."""
    report = Report(kind="group")
    mine = {g.name: g for g in plan.groups}
    logins = {a.login: a.id for a in plan.accounts}
    seen: set[str] = set()
    for number, line in numbered(text, report):
        parts = line.split(":")
        if len(parts) != 4 or not parts[2].isdecimal():
            report.say(number, line, "not understood", "four fields with a number in the third")
            continue
        name, _, gid, members = parts
        seen.add(name)
        if not FIRST_PERSON <= int(gid) <= LAST_PERSON and name not in mine:
            report.say(number, line, "no matter", "a group of the system")
            continue
        if not LOGIN.fullmatch(name):
            report.say(number, line, "not understood", f"{name} is no name that can be planned")
            continue
        # The group of an account's own name is the account's, with its number.
        others = {g.number for g in plan.groups if g.name != name}
        others |= {a.number for a in plan.accounts if a.login != name}
        given = [m for m in members.split(",") if m]
        unknown = [m for m in given if m not in logins]
        report.say(
            number,
            line,
            "not understood" if unknown else "understood",
            f"no such account: {', '.join(unknown)}" if unknown else "",
        )
        old = mine.get(name)
        base = old.model_dump(mode="json") if old else {"name": name}
        item = {
            **base,
            "members": [logins[m] for m in given if m in logins],
            "number": _number(gid, others),
        }
        same = (
            old is not None
            and set(item["members"]) == set(old.members)
            and item["number"] == old.number
        )
        what = "new" if old is None else "same" if same else "changed"
        number_now = item["number"] if old and item["number"] != old.number else None
        why = f"its number here is {number_now}" if number_now else ""
        report.proposals.append(
            ReadItem(collection="groups", what=what, name=name, item=item, why=why)
        )
        if what != "same":
            report.differences.append(f"group {name} is {what} against the plan")
    for name in sorted(set(mine) - seen):
        report.differences.append(f"group {name} is in the plan and not in the file")
    return report
