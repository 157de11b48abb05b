"""Which components run here as themselves, and why others do not."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from shutil import which
from typing import TYPE_CHECKING

from kavrel.rig.real.btrfs import Btrfs, btrfs_here
from kavrel.rig.real.compared import Compared
from kavrel.rig.real.ssh import Ssh, ssh_here

if TYPE_CHECKING:
    from kavrel.rig.lab import Lab


@dataclass(frozen=True)
class Real:
    """The components, none of those that cannot be here; `left` has each of these with why."""

    rsync: Compared | None
    ssh: Ssh | None
    btrfs: Btrfs | None
    left: tuple[str, ...]

    @property
    def compared(self) -> Sequence[Compared]:
        """How their answers compare with the stand-ins'."""
        every = (self.rsync, self.ssh and self.ssh.compared, self.btrfs and self.btrfs.compared)
        return [each for each in every if each]


@contextmanager
def real_parts(lab: "Lab", folder: Path, names: Sequence[str]) -> Iterator[Real]:
    """What of it can be here, for as long as it is wanted; `names` are those of the boxes' programs."""
    with ExitStack() as stack:
        ssh = stack.enter_context(ssh_here(lab, folder / "ssh", names))
        btrfs = stack.enter_context(btrfs_here(lab, folder / "btrfs"))
        rsync = Compared("rsync") if which("rsync") else "it is not installed"
        every = {"rsync": rsync, "SSH": ssh, "Btrfs": btrfs}
        yield Real(
            rsync if isinstance(rsync, Compared) else None,
            ssh if isinstance(ssh, Ssh) else None,
            btrfs if isinstance(btrfs, Btrfs) else None,
            tuple(f"{name}: {why}" for name, why in every.items() if why and isinstance(why, str)),
        )
