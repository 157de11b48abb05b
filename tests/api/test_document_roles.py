"""The whole OpenAPI document called as hands and as a reader: no server error, and a reader leaves nothing."""

from pathlib import Path
from tempfile import mkdtemp
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, settings

from kavrel.api.app import create_app
from kavrel.store.database import Database
from kavrel.store.people import People
from kavrel.store.plans import Plans
from tests.api.test_document import SERVED
from tests.builders import job, lab
from tests.conftest import NOW

DATABASE = Database(Path(mkdtemp()) / "kavrel.db")
APP = create_app(DATABASE, lambda: NOW, allowed_hosts=frozenset({"testserver"}))
PEOPLE = People(DATABASE, lambda: NOW)
PLAN = Plans(DATABASE, lambda: NOW).create(lab(jobs=(job("snaps"),)), "new")
COOKIES = {}
for name in ("hands", "reader"):
    PEOPLE.add(name, name, "no hash: nobody signs in by it")
    COOKIES[name] = PEOPLE.open(name, "test", "test")
OWN = ("/api/visitor", "/api/people/first", "/api/observations")
# Who is signed in has no document that is public: it is read from an application itself. The hundred calls
# at the bounds of each field are made as nobody alone.
CONFIG = schemathesis.Config.from_dict({"phases": {"coverage": {"enabled": False}}})
schema = schemathesis.openapi.from_dict(SERVED.app.openapi(), config=CONFIG)
schema.app = APP


def held() -> str:
    """Everything but when sessions were used and what stands in the book at the door."""
    with DATABASE.reading() as db:
        lines = [x for x in db.iterdump() if 'INSERT INTO "session"' not in x]
    return "\n".join(x for x in lines if 'INSERT INTO "door_note"' not in x)


@pytest.mark.prove
@schema.parametrize()
@settings(
    max_examples=6,
    deadline=None,
    derandomize=True,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_no_role_meets_a_server_error_and_a_reader_leaves_nothing(case: Any) -> None:
    if "plan_id" in (case.path_parameters or {}):
        case.path_parameters["plan_id"] = PLAN
    for name, cookie in COOKIES.items():
        if name not in {p.name for p in PEOPLE.all()} or case.path.startswith(OWN):
            continue
        before = held() if name == "reader" else ""
        headers = {**dict(case.headers or {}), "Cookie": f"kavrel={cookie}"}
        answer = case.call(headers=headers)
        assert answer.status_code < 500, (name, case.path, answer.text[:300])
        assert answer.status_code != 401, "the session holds"
        if answer.status_code >= 400:
            assert answer.headers["content-type"][0].startswith("application/problem+json")
        if name == "reader":
            assert held() == before
    for service in (APP.state.service, APP.state.veiled):
        service.jobs.close()
