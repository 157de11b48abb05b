"""The OpenAPI document says every answer that comes: called as its own schema allows, and beyond.

The caller is schemathesis, a general-purpose tester of APIs, with a fixed seed.
"""

import os
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, settings
from starlette.testclient import TestClient

from kavrel.api.app import create_app
from kavrel.formats.plan_file import dump
from kavrel.store.database import Database
from tests.builders import job, lab
from tests.conftest import NOW

CALLS = int(os.environ.get("KAVREL_CALLS", "6"))  # of each operation; `make prove` makes more
AT_EVERY_EDGE = "KAVREL_CALLS" in os.environ  # and a hundred more at the bounds of each field


class Served:
    """The application with a small lab in it, made again whenever it was deleted."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.app = create_app(database, lambda: NOW, allowed_hosts=frozenset({"testserver"}))
        self.client = TestClient(self.app)
        self.plan = ""

    def nobody(self) -> None:
        """A first person may have been made: then everybody would have to sign in."""
        with self.database.transaction() as db:
            db.execute("DELETE FROM person")

    def there(self) -> str:
        """Id of the lab."""
        if not self.plan or self.client.get(f"/api/plans/{self.plan}").status_code != 200:
            copied = job("copied", "backup", target_pool="second")
            text = dump(lab(jobs=(job("snaps"), copied)))
            kind = {"content-type": "application/json"}
            made = self.client.post("/api/plans/import", content=text, headers=kind)
            self.plan = made.json()["meta"]["id"]
        return self.plan


SERVED = Served(Database(Path(mkdtemp()) / "kavrel.db"))
# A body may be right in itself and still contradict the plan, or name a revision of long ago.
ACCEPTED = ["2xx", "401", "404", "409", "412", "422", "428", "429"]
REFUSED = ["400", "401", "403", "404", "405", "409", "412", "413", "422", "428", "429"]
CHECKS = {
    "positive_data_acceptance": {"expected-statuses": ACCEPTED},
    "negative_data_rejection": {"expected-statuses": REFUSED},
}
schema = schemathesis.openapi.from_asgi(
    "/openapi.json",
    SERVED.app,
    config=schemathesis.Config.from_dict(
        {"checks": CHECKS, "phases": {"coverage": {"enabled": AT_EVERY_EDGE}}}
    ),
)


@schema.parametrize()
@settings(
    max_examples=CALLS,
    deadline=None,
    derandomize=True,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_nothing_comes_that_the_document_does_not_say(case: Any) -> None:
    # A made-up id is refused at once: the half of the calls go to a plan that is there.
    made_up = (case.path_parameters or {}).get("plan_id")
    if made_up is not None and len(str(made_up)) % 2:
        case.path_parameters["plan_id"] = SERVED.there()
    if case.headers and "If-Match" in case.headers and len(case.headers["If-Match"]) % 2:
        case.headers["If-Match"] = '"r1"'
    case.call_and_validate()
    SERVED.nobody()
    SERVED.app.state.service.jobs.close()  # a question that nobody waits for
