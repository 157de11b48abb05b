"""A real Linux kernel in user space, with sparse disks: md and device mapper where this kernel has none."""

import shutil
import subprocess
from collections.abc import Sequence
from pathlib import Path

HERE = Path(__file__).parent
MODULES = Path("/usr/lib/uml/modules")


def can_run() -> bool:
    """Whether the kernel, its modules and mdadm are here."""
    return all(map(shutil.which, ("linux.uml", "mdadm", "dmsetup"))) and MODULES.is_dir()


def run(script: str, sizes: Sequence[int], work: Path, seconds: int = 240) -> str:
    """What a shell script prints as root in it, over disks /dev/ubda, /dev/ubdb ... of these bytes."""
    version = next(p for p in MODULES.iterdir() if p.is_dir())
    modules = work / "mod" / "lib" / "modules"
    modules.mkdir(parents=True)
    (modules / version.name).symlink_to(version)
    (work / "job.sh").write_text(script, encoding="utf-8")
    shutil.copy(HERE / "init.sh", work / "init.sh")
    (work / "init.sh").chmod(0o755)
    disks = []
    for n, size in enumerate(sizes):
        with (work / f"d{n}").open("wb") as file:
            file.truncate(size)
        disks.append(f"ubd{n}={work / f'd{n}'}")
    command = ["linux.uml", "mem=512M", "rootfstype=hostfs", "rootflags=/", "ro"]
    command += [f"init={work / 'init.sh'}", f"jobdir={work}", "con=null", "con0=null,fd:1"]
    command += [f"umid=t{work.name[-8:]}", "quiet", *disks]
    said = subprocess.run(
        command,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        timeout=seconds,
        check=False,
        env={"HOME": str(work), "TMPDIR": "/dev/shm", "PATH": "/usr/sbin:/usr/bin:/sbin:/bin"},
    )
    out = work / "out.txt"
    assert out.exists(), said.stdout.decode(errors="replace")
    return out.read_text(encoding="utf-8", errors="replace")
