"""What a plan could take over from a machine: hosts, disks in their bays, pools, data, and jobs guessed.

Nothing is made up silently: what is guessed says so, and what cannot be taken over says why.
"""

from collections.abc import Collection
from datetime import date
from typing import Any

from kavrel.core.copies.anew import to_begin_anew
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.kinds.kind import Kind
from kavrel.core.plan import Schedule
from kavrel.core.seen.calendars import as_schedule, starts_of
from kavrel.core.seen.offer import Takes
from kavrel.core.seen.rhythm import retention_of, schedule_of
from kavrel.core.seen.started import StartedOffer
from kavrel.core.seen.told import jobs_told
from kavrel.core.shares.names import job_names, slug


class Taker(StartedOffer):
    """Goes through a machine, thing by thing, and guesses which jobs its points come from."""

    def all(self) -> Takes:
        """Everything, in the order in which one needs the other."""
        self.told: dict[str, dict[str, Any]] = {}  # jobs of its own script that the plan has not
        self._host()
        if self.host is not None:
            for seen in self.machine.disks:
                self._disk(seen)
            self._boots_from_data()
            wanted = {p.id for p in self.plan.pools if not p.standing}
            for pool in self.machine.pools:
                self._pool(pool)
            self._begun_anew(wanted & {p.id for p in self.plan.pools if p.standing})
            self._find_copies()
            self._datasets()
            self._told()
            self._jobs()
            self._replications()
            self._tasks()
            self._told_besides()
        self.settle()
        return self.takes()

    def _begun_anew(self, made: Collection[str]) -> None:
        """Jobs of pools that the plan wanted made, and that are here: what no run is known of is not there."""
        known = {p.maker for p in self.machine.points}
        names, index = job_names(self.plan), Index(self.plan)
        for job, way, _ in to_begin_anew(index, dict.fromkeys(made, date.min)):
            if names[job.id] in known:
                continue
            ends = {job.target_pool or "", *(index.datasets[d].pool for d in job.datasets)}
            self.take(
                "jobs",
                job.name,
                {**job.model_dump(mode="json"), "first_copy": way},
                why="its pool has been made meanwhile, and no run of it that went well is known",
                needs=tuple(f"pools/{p}" for p in sorted(ends & set(made))),
                item_id=job.id,
            )

    # -- copies of another box's data --------------------------------------------------------------

    def _find_copies(self) -> None:
        """Datasets whose points have the name that a snapshot job of another box gives to data so called.

        Points travel with their names: the same name over data of the same name is a copy.
        """
        assert self.host is not None
        index = Index(self.plan)
        elsewhere = {
            (slug(j.name, j.id), index.datasets[d].name): d
            for j in self.plan.jobs
            if KINDS[j.kind].snapshots and KINDS[j.kind].in_place
            for d in j.datasets
            if index.pools[index.datasets[d].pool].host != self.host.id
        }
        by_name = {f"{d.pool}/{d.name}": d for d in self.machine.datasets}
        for points in self.machine.points:
            here = by_name.get(points.place) or next(
                (d for d in self.machine.datasets if d.folder == points.place), None
            )
            leaf = here.name.rpartition("/")[2] if here else ""
            source = elsewhere.get((points.maker, leaf))
            if here is not None and source is not None:
                self.copies[here.folder] = (source, points.maker)

    def _replications(self) -> None:
        """One job for each source pool and pool here: what was copied, by the rhythm of its points."""
        assert self.host is not None
        known = self.known
        index = known.index
        rows: dict[tuple[str, str], list[tuple[str, tuple[float, ...]]]] = {}
        by_folder = {d.folder: d for d in self.machine.datasets}
        times = {p.place: p.times for p in self.machine.points}
        for folder, (source, _) in self.copies.items():
            here = by_folder[folder]
            pool = known.pools.get(here.pool)
            made_at = times.get(f"{here.pool}/{here.name}") or times.get(folder) or ()
            if pool is not None and made_at:
                rows.setdefault((index.datasets[source].pool, pool.id), []).append(
                    (source, made_at)
                )
        for (start, end), copied in sorted(rows.items()):
            datasets = sorted({d for d, _ in copied})
            if any(
                j.target_pool == end and set(j.datasets) & set(datasets) for j in self.plan.jobs
            ):
                continue
            longest = max((t for _, t in copied), key=len)
            nightly = Schedule(kind="daily", at="02:00")
            name = self._free_name("jobs", f"{index.pools[start].name} to {index.pools[end].name}")
            item = {
                "name": name,
                "kind": "replication",
                "datasets": datasets,
                "target_pool": end,
                "schedule": (schedule_of(longest, self.plan.zone) or nightly).model_dump(
                    mode="json"
                ),
                "retention": retention_of(longest, self.plan.zone).model_dump(mode="json"),
                # Who holds the keys nobody printed: the worse is that the source could delete it.
                "credentials": "source",
            }
            self.take(
                "jobs",
                name,
                item,
                why=f"{len(longest)} points came over with the names that the other box gave them",
                guess="when it runs, how long points are kept, and that the source could delete them",
                needs=(f"pools/{end}", *(f"datasets/{d}" for d in datasets)),
            )

    # -- what the box's own script was told --------------------------------------------------------

    def _told(self) -> None:
        """Jobs that its file says all of: those that go nowhere else, by what they work on."""
        own = set(job_names(self.plan).values())
        self.told = {n: t for n, t in jobs_told(self.machine).items() if n not in own}
        for name, told in self.told.items():
            kind = next((k for k in KINDS.values() if k.id == told.get("kind")), None)
            if kind is None or kind.target != "none" or "schedule" not in told:
                continue
            about = self._told_about(kind, told)
            if about is None:
                continue
            fields, needs = about
            free = self._free_name("jobs", name)
            item = {"name": free, "kind": kind.id, "schedule": told["schedule"], **fields}
            item |= {k: told[k] for k in ("retention", "catch_up") if k in told}
            self.take("jobs", free, item, why="its script was told so", needs=needs)

    def _told_about(
        self, kind: Kind, told: dict[str, Any]
    ) -> tuple[dict[str, Any], tuple[str, ...]] | None:
        """What a job works on, and the things that this needs; None where the plan does not know all of it."""
        if kind.on == "host" and self.host:
            return {"host": self.host.id}, (f"hosts/{self.host.id}",)
        if kind.on == "pool":
            pool = self.known.pools.get(str(told.get("pool")))
            return ({"pool": pool.id}, (f"pools/{pool.id}",)) if pool else None
        sets, known = told.get("sets"), self.known.datasets
        if not isinstance(sets, list):
            return None
        folders = {f"{d.pool}/{d.name}": d.folder for d in self.machine.datasets}
        places = [folders.get(str(s), str(s)) for s in sets]
        if not all(p in known for p in places):
            return None
        ids = [known[p].id for p in places]
        return {"datasets": ids}, tuple(f"datasets/{d}" for d in ids)

    def _told_besides(self) -> None:
        """What the script does and is not taken over is named."""
        taken = set(job_names(self.plan).values()) if self.told else set()
        for name, told in self.told.items():
            if name not in taken:
                title = str(told.get("title") or told.get("kind"))[:60]
                self.not_taken.append(f"lab-job {name}, {title}: enter it on Copies")

    def _started(self, name: str) -> Schedule | None:
        """When a timer or a crontab starts what has this name, the first that is understood."""
        tasks = (t for t in self.machine.tasks if t.name == name and t.enabled)
        schedules = (as_schedule(starts_of(t, self.plan.zone)) for t in tasks)
        return next((s for s in schedules if s), None)

    # -- jobs --------------------------------------------------------------------------------------

    def _jobs(self) -> None:
        """Snapshots that look like a job: one job for all datasets that have them by one name."""
        assert self.host is not None
        known = self.known
        index = known.index
        own = {slug(j.name, j.id) for j in self.plan.jobs}
        by_name = {f"{d.pool}/{d.name}": d.folder for d in self.machine.datasets}
        rows: dict[str, list[tuple[str, tuple[float, ...]]]] = {}
        for points in self.machine.points:
            folder = by_name.get(points.place, points.place)
            dataset = known.datasets.get(folder)
            if dataset and points.maker not in own:
                rows.setdefault(points.maker, []).append((dataset.id, points.times))
        for maker, times_of in sorted(rows.items()):
            longest = max((times for _, times in times_of), key=len)
            started = self._started(f"lab-{maker}")
            schedule = started or schedule_of(longest, self.plan.zone)
            if schedule is None:
                self.not_taken.append(
                    f"points {maker}: {len(longest)} are too few to see a rhythm in"
                )
                continue
            pools = {index.datasets[d].pool for d, _ in times_of}
            for pool in sorted(pools):
                datasets = [d for d, _ in times_of if index.datasets[d].pool == pool]
                name = self._free_name("jobs", maker)
                item = {
                    "name": name,
                    "kind": "snapshot",
                    "datasets": datasets,
                    "schedule": schedule.model_dump(mode="json"),
                    "retention": retention_of(longest, self.plan.zone).model_dump(mode="json"),
                }
                self.take(
                    "jobs",
                    name,
                    item,
                    why=f"{len(longest)} points of this name are there",
                    guess=f"{'' if started else 'when it runs and '}how long points are kept, "
                    "from those that are there",
                    needs=tuple(f"datasets/{d}" for d in datasets),
                )
