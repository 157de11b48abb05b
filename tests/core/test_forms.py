"""Forms: what nobody has to know of to begin with waits below."""

from typing import Any

import pytest

from kavrel.core.forms import FieldView, FormView, forms

FORMS = {f.collection: f for f in forms()}
MOST = 5


def stands(field: FieldView, item: dict[str, Any]) -> bool:
    """Whether a field means anything with what an item has."""

    def value(name: str) -> Any:
        at: Any = item
        for part in name.split("."):
            at = at[part]
        return at

    return not field.when or any(
        all(
            (not c.one_of or value(c.field) in c.one_of)
            and value(c.field) not in c.none_of
            and (not c.filled or bool(value(c.field)))
            for c in conditions
        )
        for conditions in field.when
    )


def begins_with(form: FormView, **chosen: Any) -> list[str]:
    """What is asked for of a new thing; a schedule and a retention are one thing each."""
    item = form.fresh | chosen
    shown = [f.name for f in form.fields if not f.folded and stands(f, item)]
    return list(dict.fromkeys(name.partition(".")[0] for name in shown))


@pytest.mark.parametrize("collection", FORMS)
def test_a_form_begins_with_five_things(collection: str) -> None:
    assert 1 < len(begins_with(FORMS[collection])) <= MOST


def test_what_a_choice_brings_with_it_is_asked_for_at_once() -> None:
    """A copy has a place, and a lock has a key: nobody should have to look for those below."""
    assert "target_pool" in begins_with(FORMS["jobs"], kind="backup")
    assert "target_bucket" in begins_with(FORMS["jobs"], kind="bucket")
    assert "size_bytes" in begins_with(FORMS["exports"], protocol="iscsi")
    assert "passphrase_at" in begins_with(FORMS["pools"], encrypted=True)
    assert "card" in begins_with(FORMS["pools"], family="card_mirror")


def test_what_waits_below_has_something_to_stand_there_until_it_is_asked() -> None:
    for form in FORMS.values():
        blank = [f.name for f in form.fields if f.folded and f.start is None and not f.optional]
        assert blank == [], form.collection
