"""What is promised against what is there: quotas and thin disks beside reservations and thick ones."""

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.pools.pool import PoolState
from kavrel.core.working import Working, step


class Promise(BaseModel):
    """What a place has promised. Thick room is taken now; thin room is promised and may be missed."""

    model_config = ConfigDict(frozen=True)

    kind: str  # pool or dataset
    id: str
    name: str
    has_bytes: int
    thick_bytes: int
    thin_bytes: int
    over_bytes: int  # by how much thin and thick together exceed what is there
    short_bytes: int  # by how much thick alone does
    working: Working


def promises(index: Index, states: dict[str, PoolState]) -> list[Promise]:
    """Every pool, and every dataset with a quota that promises something to children or users."""
    plan = index.plan
    made = []
    for pool in plan.pools:
        tops = [d for d in plan.datasets if d.pool == pool.id and d.parent is None]
        thick, thin, steps = _sum(index, [d.id for d in tops])
        if thick or thin:
            usable = states[pool.id].layout.usable_bytes
            made.append(_promise("pool", pool.id, pool.name, usable, thick, thin, steps))
    for dataset in plan.datasets:
        if dataset.quota_bytes is None:
            continue
        children = [d.id for d in plan.datasets if d.parent == dataset.id]
        thick, thin, steps = _sum(index, children)
        own_thick, own_thin, own_steps = _inside(index, dataset.id)
        thick, thin, steps = thick + own_thick, thin + own_thin, [*steps, *own_steps]
        if thick or thin:
            made.append(
                _promise(
                    "dataset", dataset.id, dataset.name, dataset.quota_bytes, thick, thin, steps
                )
            )
    return made


def _promise(
    kind: str, key: str, name: str, has: int, thick: int, thin: int, steps: list[Working]
) -> Promise:
    return Promise(
        kind=kind,
        id=key,
        name=name,
        has_bytes=has,
        thick_bytes=thick,
        thin_bytes=thin,
        over_bytes=max(0, thick + thin - has),
        short_bytes=max(0, thick - has),
        working=step(
            f"promised on {name}",
            thick + thin,
            "bytes",
            "reservations and thick disks + quotas and thin disks",
            step("there is", has, "bytes"),
            *steps,
        ),
    )


def _sum(index: Index, datasets: list[str]) -> tuple[int, int, list[Working]]:
    """Promises made by datasets: a quota stands for all below it, a reservation is taken off it."""
    thick = thin = 0
    steps = []
    for key in datasets:
        dataset = index.datasets[key]
        below_thick, below_thin, below = _inside(index, key)
        children = [d.id for d in index.plan.datasets if d.parent == key]
        child_thick, child_thin, child_steps = _sum(index, children)
        inner_thick, inner_thin = below_thick + child_thick, below_thin + child_thin
        if dataset.quota_bytes is not None:
            kept = max(dataset.reserve_bytes, inner_thick)
            thick += kept
            thin += max(0, dataset.quota_bytes - kept)
            steps.append(step(f"quota of {dataset.name}", dataset.quota_bytes, "bytes"))
        else:
            kept = max(dataset.reserve_bytes, inner_thick)
            thick += kept
            thin += inner_thin
            steps += [*below, *child_steps]
        if dataset.reserve_bytes:
            steps.append(step(f"reserved for {dataset.name}", dataset.reserve_bytes, "bytes"))
    return thick, thin, steps


def _inside(index: Index, dataset: str) -> tuple[int, int, list[Working]]:
    """LUNs, tenants and users' quotas of one dataset itself."""
    thick = thin = 0
    steps = []
    for export in index.plan.exports:
        if export.dataset == dataset and export.size_bytes:
            if export.thick:
                thick += export.size_bytes
            else:
                thin += export.size_bytes
            how = "thick" if export.thick else "thin"
            steps.append(step(f"{export.name}, {how}", export.size_bytes, "bytes"))
    for quota in index.plan.quotas:
        if quota.dataset == dataset:
            thin += quota.bytes
            login = index.accounts[quota.account].login
            steps.append(step(f"quota of user {login}", quota.bytes, "bytes"))
    return thick, thin, steps
