"""Works: what must be true on a host, typed and in the order in which it can be done.

They stand between the plan and every machine: the script that sets a host up is a rendering of them,
and what they make is what the predicted access is tried against.
"""

from collections.abc import Iterator
from datetime import date

from kavrel.core.index import Index
from kavrel.core.works.datasets import DatasetThere, dataset_works
from kavrel.core.works.doors import DoorOpen, door_works, forwards
from kavrel.core.works.folders import FolderAccess, HomeFolder, folder_works, home_works
from kavrel.core.works.jobs import job_works
from kavrel.core.works.limits import AccountLimited, DatasetLimited, limit_works
from kavrel.core.works.machine import machine_works
from kavrel.core.works.page import page_works
from kavrel.core.works.people import (
    AccountShut,
    AccountThere,
    GroupThere,
    PasswordsSet,
    password_works,
    people_works,
)
from kavrel.core.works.pools import pool_works
from kavrel.core.works.repositories import RepositoryThere, repository_works
from kavrel.core.works.secured import (
    CertificateThere,
    KerberosThere,
    OutsideTold,
    ServerAccount,
    secured_works,
    server_accounts,
)
from kavrel.core.works.served import served_works
from kavrel.core.works.services import ServiceRuns, service_works
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.starts import start_works
from kavrel.core.works.ups import power_works
from kavrel.core.works.work import Work

__all__ = [
    "AccountLimited",
    "AccountShut",
    "AccountThere",
    "CertificateThere",
    "DatasetLimited",
    "DatasetThere",
    "DoorOpen",
    "FolderAccess",
    "GroupThere",
    "HomeFolder",
    "KerberosThere",
    "OutsideTold",
    "PasswordsSet",
    "RepositoryThere",
    "ServerAccount",
    "ServiceRuns",
    "Work",
    "bill",
    "forwards",
]


def bill(index: Index, host: str, today: date) -> tuple[Work, ...]:
    """The works of a host as of a day, each after all that it needs."""
    rest = tuple(_works(index, host, today))
    return (*machine_works(index, host, rest), *rest)


def _works(index: Index, host: str, today: date) -> Iterator[Work]:
    people = tuple(people_works(index, host, today))
    yield from people
    yield from server_accounts(index, host)
    yield from pool_works(index, host)
    yield from dataset_works(index, host)
    yield from folder_works(index, host, today)
    yield from home_works(index, host, today)
    yield from limit_works(index, host)
    yield from repository_works(index, host)
    yield from password_works(index, host, today, people)
    if is_set_up(index, host) or index.hosts[host].closed:
        yield from door_works(index, host)
    yield from power_works(index, host)
    yield from start_works(index, host)
    yield from secured_works(index, host)
    yield from served_works(index, host)
    yield from service_works(index, host)
    yield from job_works(index, host)
    yield from page_works(index, host, today)
