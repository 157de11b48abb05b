"""What a file system shows and what can be filled."""

from dataclasses import dataclass

from kavrel.core.working import Working


@dataclass(frozen=True)
class Space:
    """`total_bytes` as the file system reports it; `usable_bytes` as an ordinary user fills it."""

    total_bytes: int
    usable_bytes: int
    working: Working
