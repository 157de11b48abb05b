"""Results that are kept for a while: at most so many, and the one used longest ago goes first."""

from collections import OrderedDict
from threading import Lock
from typing import Generic, TypeVar

Key = TypeVar("Key")
Value = TypeVar("Value")


class Kept(Generic[Key, Value]):
    """Values by key, for several threads. A key names all that its value depends on."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[Key, Value] = OrderedDict()
        self._guard = Lock()

    def get(self, key: Key) -> Value | None:
        """The value, if it is still kept; it is the newest then."""
        with self._guard:
            value = self._values.get(key)
            if value is not None:
                self._values.move_to_end(key)
            return value

    def put(self, key: Key, value: Value) -> None:
        """Keeps a value; the one used longest ago goes when there are too many."""
        with self._guard:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._most:
                self._values.popitem(last=False)

    def clear(self) -> None:
        """Forgets everything."""
        with self._guard:
            self._values.clear()

    def __len__(self) -> int:
        return len(self._values)
