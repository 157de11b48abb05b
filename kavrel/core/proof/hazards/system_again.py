"""What a box needs once the device is gone that it boots from: its system and its configuration again."""

from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Host
from kavrel.core.proof.hazards.hazard import Scene, Step


def configuration_kept(scene: Scene, host: str) -> str | None:
    """What keeps the configuration of a box somewhere else, or None."""
    index = scene.index
    for job in jobs_that(index, lambda kind: kind.keeps_settings):
        at = index.pools.get(job.target_pool or "")
        if job.host == host and at and at.host != host:
            return job.name
    return "a copy elsewhere" if index.hosts[host].boot_copied else None


def system_again(scene: Scene, host: Host) -> Step:
    """The step that sets it up again: by its copy, or from memory."""
    kept = configuration_kept(scene, host.id)
    key = "reinstall_hours" if kept else "configure_again_hours"
    text = f"install {host.name} anew, load its configuration from {kept}"
    return scene.step(text if kept else f"set up {host.name} from memory", key, "replace")
