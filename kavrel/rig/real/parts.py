"""Which components run here as themselves, and why others do not."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from shutil import which
from typing import TYPE_CHECKING

from kavrel.rig.real.btrfs import Btrfs, btrfs_here
from kavrel.rig.real.compared import Compared
from kavrel.rig.real.smb import smb_here
from kavrel.rig.real.ssh import Ssh, ssh_here
from kavrel.rig.shared import Shared

if TYPE_CHECKING:
    from kavrel.rig.lab import Lab


@dataclass(frozen=True)
class Real:
    """The components, none of those that cannot be here; `left` has each of these with why."""

    rsync: Compared | None
    ssh: Ssh | None
    btrfs: Btrfs | None
    smbd: Compared | None
    left: tuple[str, ...]

    @property
    def compared(self) -> Sequence[Compared]:
        """How their answers compare with the stand-ins'."""
        ssh, btrfs = self.ssh and self.ssh.compared, self.btrfs and self.btrfs.compared
        every = (self.rsync, ssh, btrfs, self.smbd)
        return [each for each in every if each]


def served(lab: "Lab") -> list[tuple[Shared, tuple[str, ...]]]:
    """Boxes whose setup.sh ran and that serve shares, each with the logins that work there."""
    day = datetime.fromtimestamp(lab.began, lab.zone).date()
    logins = tuple(a.login for a in lab.plan.accounts if a.works_on(day))
    runs = (r.shared for r in lab.made.set_up if not r.anew)
    return [(box, tuple(n for n in logins if n in box.people)) for box in runs if box]


@contextmanager
def real_parts(lab: "Lab", folder: Path, names: Sequence[str]) -> Iterator[Real]:
    """What of it can be here, for as long as it is wanted; `names` are those of the boxes' programs."""
    with ExitStack() as stack:
        ssh = stack.enter_context(ssh_here(lab, folder / "ssh", names))
        btrfs = stack.enter_context(btrfs_here(lab, folder / "btrfs"))
        rsync = Compared("rsync") if which("rsync") else "it is not installed"
        smbd = smb_here(served(lab), folder / "smb")
        every = {"rsync": rsync, "SSH": ssh, "Btrfs": btrfs, "smbd": smbd}
        yield Real(
            rsync if isinstance(rsync, Compared) else None,
            ssh if isinstance(ssh, Ssh) else None,
            btrfs if isinstance(btrfs, Btrfs) else None,
            smbd if isinstance(smbd, Compared) else None,
            tuple(f"{name}: {why}" for name, why in every.items() if why and isinstance(why, str)),
        )
