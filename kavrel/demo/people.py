"""Three people of the demo lab, with passwords that are said aloud: for trying only."""

from kavrel.store.passwords import hashed
from kavrel.store.people import NameTaken, People, Role

PEOPLE: tuple[tuple[str, Role, str], ...] = (
    ("Inês", "planner", "lantern over seven bricks"),
    ("Rui", "hands", "copper kettle wakes early"),
    ("Tenor", "reader", "paper boats on the canal"),
)


def let_in(people: People) -> list[str]:
    """Lets the three in unless they are there; gives a line to print for each."""
    said = []
    for name, role, password in PEOPLE:
        try:
            people.add(name, role, hashed(password))
        except NameTaken:
            continue
        said.append(f"  {name} ({role}): {password}")
    return ["For trying, these may sign in:", *said] if said else []
