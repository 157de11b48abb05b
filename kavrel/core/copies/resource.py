"""What runs share: the disks of a pool, a loose disk in its dock, a LAN, a link."""

from typing import Annotated, Literal, NamedTuple

from pydantic import PlainSerializer


class Resource(NamedTuple):
    """One of them, by its id; a LAN by that of its site. In print `link:wire`."""

    kind: Literal["link", "lan", "pool", "disk"]
    id: str

    def __str__(self) -> str:
        return f"{self.kind}:{self.id}"


# As it stands in an answer: one word, by which lanes are told apart.
Printed = Annotated[Resource, PlainSerializer(str, return_type=str)]
