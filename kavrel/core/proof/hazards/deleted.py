"""Part of the dataset is deleted, and missed only days later."""

from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Lived, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    known = scene.index.assumptions
    days = known["deleted_notice_days"]
    return Strike(
        state="spoiled",
        why=f"deleted, and missed {days:.0f} days later",
        event=f"dataset {dataset.id}",
        dies=(f"a part of {dataset.name}",),
        seen_after_days=days,
        share_of_data=known["deleted_share"],
    )


def _lived(scene: Scene, dataset: Dataset, strike: Strike) -> Lived | None:
    known = scene.index.assumptions
    return Lived(
        known["deletion_rate"], known["deleted_notice_days"], known["deleted_share"], spread=True
    )


DELETED = Hazard(
    "deleted",
    "deleted, missed late",
    "deleted",
    "A folder is deleted and missed days later.",
    _strike,
    ("deleted_notice_days", "deleted_share"),
    lifetimes="strikes each dataset by its rate, noticed after a while",
    on_sheet="one",
    lived=_lived,
)
