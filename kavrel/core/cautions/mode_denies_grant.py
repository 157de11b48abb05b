"""A mode that takes away what a grant gives."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.works.folders import bits, folder_works


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    # The first digits of the three: with all three rights nobody lacks anything.
    narrow = [d for d in index.plan.datasets if not d.mode[-3:].startswith("77")]
    if not narrow:
        return
    lacking = {w.makes[0][1]: w.lacks for w in folder_works(index, None, view.today)}
    for dataset in narrow:
        said = [
            f"{one.who} is let in with {bits(one.granted)}, and mode {dataset.mode} leaves {bits(one.left)}"
            for one in lacking[dataset.id]
        ]
        if said:
            more = f"; and {len(said) - 3} more" if len(said) > 3 else ""
            yield dataset.id, dataset.name, f"{'; '.join(said[:3])}{more}."


MODE_DENIES_GRANT = Rule(
    "mode_denies_grant",
    "serious",
    "shares",
    "dataset",
    "Mode 2770: whom the shares let in the folder lets in as well.",
    _find,
    could="The matrix says yes and the folder says no: somebody cannot open a file, or not save it.",
    fix=changed("mode 2770", "datasets", mode="2770"),
)
