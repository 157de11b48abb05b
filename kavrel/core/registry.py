"""Registries: what the lab can be made of, by id, and the types of the plan that follow from them."""

from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import import_module
from typing import Any, Generic, Protocol, TypeVar

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic_core import CoreSchema, core_schema

_changes = [0]


def generation() -> int:
    """Another number whenever something is declared or taken back: what follows may be another."""
    return _changes[0]


class Declared(Protocol):
    """Something with an id and a name."""

    @property
    def id(self) -> str:
        """Its id in plans."""

    @property
    def title(self) -> str:
        """Its name."""


Item = TypeVar("Item", bound=Declared)


class Registry(Mapping[str, Item], Generic[Item]):
    """Declarations by their ids, in the order in which people meet them."""

    def __init__(self, declared: Iterable[Item]) -> None:
        self._by_id = {item.id: item for item in declared}

    def __getitem__(self, key: str) -> Item:
        return self._by_id[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._by_id)

    def __len__(self) -> int:
        return len(self._by_id)

    @contextmanager
    def with_one_more(self, item: Item) -> Iterator[None]:
        """One more declaration for as long as the context lasts."""
        self._by_id[item.id] = item
        _changes[0] += 1
        try:
            yield
        finally:
            del self._by_id[item.id]
            _changes[0] += 1


@dataclass(frozen=True)
class OneOf:
    """Of a `str` annotated with it: the id of something in a registry.

    The registry is named as `module:NAME` and looked up when the first value is read: a plan lies
    below the rules of the trade and cannot import them, and still knows no ids but theirs.
    """

    where: str
    what: str

    def registry(self) -> Mapping[str, Any]:
        """What may be named."""
        module, _, name = self.where.partition(":")
        entries: Mapping[str, Any] = getattr(import_module(module), name)
        return entries

    def ids(self) -> list[str]:
        """The ids, in the registry's order."""
        return list(self.registry())

    def _check(self, value: str) -> str:
        known = self.registry()
        if value not in known:
            raise ValueError(f"there is no {self.what} {value!r}: one of {', '.join(known)}")
        return value

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.no_info_after_validator_function(
            self._check, core_schema.str_schema(strict=True, max_length=40)
        )

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {"type": "string", "enum": self.ids()}
