"""What each role may do, by the names of the operations in the OpenAPI document.

A planner may do all. Whatever is not named here only a planner may do, unless it merely reads.
"""

from typing import Any

from fastapi import APIRouter, Depends, Request

from kavrel.api.door.visitor import TheVisitor
from kavrel.api.problem import ProblemError
from kavrel.store.people import People, Role

SAFE_METHODS = frozenset({"GET", "HEAD"})
# Nobody has to be signed in for these; each looks for itself whom it answers.
OPEN = frozenset(
    {"get_visitor", "sign_in", "begin_people", "observe", "get_calendar"}
    | {"begin_passkey_in", "passkey_in"}
    | {"get_health", "get_certificate"}
)
# Readable by a planner alone: who may come in, and what machines show when they send.
GUARDED = frozenset(
    {
        "list_tokens",
        "list_people",
        "get_door_rule",
        "list_door",
        "list_ways",
        "list_messages",
        "get_metrics",
    }
)
# Of one's own: whatever the role.
OWN = frozenset(
    {"sign_out", "end_session", "change_password", "begin_second", "set_second", "end_second"}
    | {"give_calendar", "withdraw_calendar"}
    | {"begin_passkey", "add_passkey", "list_passkeys", "remove_passkey"}
)
# All that is left to somebody of whom more than a password is asked, until it was shown.
UNTIL_SHOWN = OPEN | {"begin_second", "set_second", "begin_passkey", "add_passkey", "sign_out"}
# All that a password opens that somebody else chose: one's own is chosen first.
UNTIL_CHANGED = OPEN | {"change_password", "sign_out"}
# They reckon something and leave nothing behind.
ASKS = frozenset({"ask_question", "stop_question", "access_if"})
TRIES = ASKS | {"read_server_file", "read_look", "read_line", "play_drill", "run_plan"}
# What hands do at the rack: tick a run sheet, write the Log, send in what a machine says.
AT_THE_RACK = frozenset({"add_tick", "put_tick", "remove_tick", "add_log", "put_log", "keep_look"})


def may(role: Role, operation: str, reads: bool) -> bool:
    """Whether a role may call an operation; `reads`: its method is a safe one."""
    if role == "planner" or operation in OPEN | OWN:
        return True
    if operation in GUARDED:
        return False
    if reads or operation in ASKS:
        return True
    return role == "hands" and operation in TRIES | AT_THE_RACK


def allowed(request: Request, who: TheVisitor) -> None:
    """Raises 403 when the visitor's role may not call the operation of this request."""
    operation = getattr(request.scope.get("route"), "operation_id", None)
    if operation is None:
        return  # the page itself, and what there is not
    if who.given:
        if operation not in UNTIL_CHANGED:
            said = "Somebody else chose this password: choose your own first, in the house."
            raise ProblemError(403, "a password of your own", said)
    elif who.owes and operation not in UNTIL_SHOWN:
        said = (
            "More than a password is asked of you: set up codes or a passkey first, in the house."
        )
        raise ProblemError(403, "more than a password", said)
    if not may(who.role, operation, request.method in SAFE_METHODS):
        people: People = request.app.state.people
        people.note_refusal(who.name, who.address, f"refused: {operation} is not for {who.role}s")
        said = f"You may read here; this is for {'planners' if who.role == 'hands' else 'others'}."
        raise ProblemError(403, "not yours to do", said)


class Routes(APIRouter):
    """Operations of the house: before any of them is done, it is asked whether the visitor may."""

    def __init__(self, **said: Any) -> None:
        super().__init__(dependencies=[Depends(allowed)], **said)
