"""The plan as a JSON file: written exactly, read with care."""

import json
from typing import Any, NoReturn

from pydantic import ValidationError

from kavrel.core.consistency import problems
from kavrel.core.plan import PLAN_FORMAT, PLAN_VERSION, Plan, PlanFile

LARGEST_FILE_BYTES = 8 * 2**20
MOST_COMPLAINTS = 50


class PlanFileError(ValueError):
    """The file is no plan that can be read; `complaints` are (place, text) pairs."""

    def __init__(self, summary: str, complaints: tuple[tuple[str, str], ...] = ()) -> None:
        details = "".join(f"\n  {place}: {text}" for place, text in complaints)
        super().__init__(summary + details)
        self.summary = summary
        self.complaints = complaints


def dump(plan: Plan) -> str:
    """The plan file's text: UTF-8 JSON, keys in the order of the model, ends with a newline."""
    file = PlanFile(plan=plan)
    return file.model_dump_json(indent=1) + "\n"


def load(content: bytes) -> Plan:
    """The plan in a file's bytes; raises PlanFileError with what is wrong and where."""
    if len(content) > LARGEST_FILE_BYTES:
        raise PlanFileError(f"the file is larger than {LARGEST_FILE_BYTES // 2**20} MiB")
    parsed = _parse(content)
    if not isinstance(parsed, dict) or parsed.get("format") != PLAN_FORMAT:
        raise PlanFileError(f'this is not a plan file: "format" should be "{PLAN_FORMAT}"')
    version = parsed.get("version")
    if version == 1:  # all that came since has a default
        parsed = {**parsed, "version": PLAN_VERSION}
    if isinstance(version, int) and version > PLAN_VERSION:
        raise PlanFileError(
            f"the file has version {version}, from a newer Kavrel; this one reads {PLAN_VERSION}"
        )
    try:
        plan = PlanFile.model_validate(parsed).plan
    except ValidationError as error:
        raise PlanFileError("the plan file has errors", validation_places(error)) from None
    except RecursionError:
        raise PlanFileError("the file is nested too deeply") from None
    contradictions = [p for p in problems(plan) if not p.tolerated]
    if contradictions:
        raise PlanFileError(
            "the plan contradicts itself",
            tuple(
                (f"{p.collection}.{p.item}.{p.field}", p.message)
                for p in contradictions[:MOST_COMPLAINTS]
            ),
        )
    return plan


def _parse(content: bytes) -> Any:
    def refuse(word: str) -> NoReturn:
        raise PlanFileError(f"{word} is not a number that a plan can hold")

    try:
        return json.loads(content.decode("utf-8-sig"), parse_constant=refuse)
    except UnicodeDecodeError:
        raise PlanFileError("the file is not UTF-8 text") from None
    except json.JSONDecodeError as error:
        end = len(content.decode("utf-8-sig"))
        if error.pos >= end - 1:
            raise PlanFileError(f"the file is cut off at line {error.lineno}") from None
        raise PlanFileError(
            f"the file is not JSON: line {error.lineno}, column {error.colno}: {error.msg}"
        ) from None
    except (RecursionError, ValueError) as error:
        if isinstance(error, PlanFileError):
            raise
        raise PlanFileError("the file is nested too deeply or holds an absurd number") from None


def validation_places(error: ValidationError) -> tuple[tuple[str, str], ...]:
    """Pydantic's findings as (place, text) pairs in Kavrel's words."""
    return tuple(
        (".".join(str(part) for part in e["loc"]), plain(e["msg"]))
        for e in error.errors(include_url=False, include_input=False)[:MOST_COMPLAINTS]
    )


def plain(message: str) -> str:
    """A validator's message without its technical prefix, in the same voice as the others."""
    text = message.removeprefix("Value error, ").removeprefix("Input should be ")
    if text == "Extra inputs are not permitted":
        return "there is no such field"
    if message.startswith("Input should be "):
        return f"should be {text}"
    if text.startswith("String should match pattern"):
        return "has characters or a form that is not allowed here"
    return text[:1].lower() + text[1:]


def schema() -> dict[str, Any]:
    """The JSON Schema of the plan file (draft 2020-12)."""
    described = PlanFile.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **described}
