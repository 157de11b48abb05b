"""OpenZFS itself for the kernel in user space: Debian's source of its module, built for it, and its tools.

The packages come from Debian's contrib part over the machine's own mirror, into a folder of their own: nothing
is installed. The build takes some four minutes and stays in `HOME`. That kernel's own symbols are read off its
binary, as Debian ships no list of them; code for the vector units is left out, which it has no way to save.
"""

import fcntl
import os
import re
import shutil
import tempfile
from pathlib import Path

from tests.outside.debian import HOME, NotHere, fetched, run

KERNEL = Path("/usr/bin/linux.uml")
CONFIG = Path("/usr/share/doc/user-mode-linux/config.gz")
MODULES = ("spl", "zavl", "znvpair", "zunicode", "zcommon", "icp", "zlua", "zzstd", "zfs")
TOOLS = (
    "zfsutils-linux",
    "libzpool5linux",
    "libnvpair3linux",
    "libzfs4linux",
    "libuutil3linux",
    "libzfsbootenv1linux",
)
# What builds a module.
BUILDS = ("flex", "bison", "bc", "make", "gcc", "xz", "libelf-dev", "libc6-dev")
VECTORS = r"^#define (HAVE_(?:SSE|AVX|AES|PCLMUL|MOVBE|SSSE)\w*) 1"


def zfs_here() -> Path:
    """The folder with its modules (`modules/`) and its tools (`root/`), built when nobody has yet.

    Raises NotHere with the reason.
    """
    if os.geteuid():
        raise NotHere("only root may install what builds a module")
    if not KERNEL.exists() or not CONFIG.exists():
        raise NotHere("no user-mode-linux here")
    HOME.mkdir(parents=True, exist_ok=True)
    release = _release()
    home = HOME / f"zfs-{release}"
    with (HOME / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        failed = home / "failed"
        if failed.exists():
            raise NotHere(failed.read_text(encoding="utf-8"))
        if not (home / "modules").exists():
            home.mkdir(exist_ok=True)
            try:
                _build(home, release)
            except NotHere as error:
                failed.write_text(str(error), encoding="utf-8")
                raise
    return home


def loads_it(home: Path) -> str:
    """The lines of a shell that load it in that kernel, and lay its tools where Debian has them."""
    (library,) = (home / "root" / "lib").glob("*-linux-gnu")
    return f"""
for module in {" ".join(MODULES)}; do insmod {home}/modules/$module.ko || dmesg | tail -3; done
# No udev here: without this its tools wait half a minute for what that would say of each disk.
export ZFS_VDEV_DEVID_OPT_OUT=YES ZPOOL_IMPORT_UDEV_TIMEOUT_MS=1
modprobe -d /mnt/job/mod overlay
mount -t overlay overlay -o lowerdir={home}/root/sbin:{home}/root/usr/sbin:/usr/sbin /usr/sbin
mount -t overlay overlay -o lowerdir={library}:/usr/lib/{library.name} /usr/lib/{library.name}
"""


def _release() -> str:
    """As it calls itself: `6.1.176`."""
    said = re.search(rb"Linux version (\d+\.\d+\.\d+)", KERNEL.read_bytes())
    if not said:
        raise NotHere("the kernel in user space does not say its version")
    return said[1].decode()


def _build(home: Path, release: str) -> None:
    with tempfile.TemporaryDirectory(prefix="zfs-", dir=HOME) as folder:
        work = Path(folder)
        source = f"linux-source-{release.rpartition('.')[0]}"
        _ready()
        fetched(work, (source, "zfs-dkms", *TOOLS))
        run(f"tar xf unpacked/usr/src/{source}.tar.xz && mv {source} linux", work)
        _prepared(work / "linux")
        if run("make -s ARCH=um kernelrelease", work / "linux").strip() != release:
            raise NotHere(f"the mirror has no source of {release}, which the kernel here is")
        (zfs,) = (work / "unpacked" / "usr" / "src").glob("zfs-*")
        linux = work / "linux"
        own = {"ARCH": "um", "KBUILD_MODPOST_WARN": "1"}
        asked = f"./configure --with-config=kernel --with-linux={linux} --with-linux-obj={linux}"
        run(asked, zfs, own)
        settings = zfs / "zfs_config.h"
        text = re.sub(
            VECTORS, r"/* no \1 */", settings.read_text(encoding="utf-8"), flags=re.MULTILINE
        )
        settings.write_text(text, encoding="utf-8")
        # Of these the plain code is asked for by name; Lua brings jumps of its own.
        for part, old, new in (
            ("icp", "$(CONFIG_X86)", "y"),
            ("lua", "-DLUA_USE_LONGLONG", "-DLUA_USE_LONGLONG -Usetjmp -Ulongjmp"),
        ):
            makefile = zfs / "module" / part / "Makefile"
            makefile.write_text(
                makefile.read_text(encoding="utf-8").replace(old, new), encoding="utf-8"
            )
        run("make -j2", zfs, own)
        (work / "modules").mkdir()
        for built in (zfs / "module").glob("*/*.ko"):
            run(f"strip -g {built} -o {work}/modules/{built.name}", work)
        (work / "unpacked").rename(home / "root")
        shutil.rmtree(home / "root" / "usr" / "src")
        (work / "modules").rename(home / "modules")


def _ready() -> None:
    missing = [p for p in BUILDS if "-dev" in p or not shutil.which(p)]
    packages = " ".join({"xz": "xz-utils"}.get(p, p) for p in missing)
    run(
        f"apt-get -qq -y -o DPkg::Lock::Timeout=300 install --no-install-recommends {packages}",
        Path("/"),
        {"DEBIAN_FRONTEND": "noninteractive"},
    )


def _prepared(linux: Path) -> None:
    """A source tree against which modules of the kernel here can be built."""
    run(
        # What only a debugger wants takes half of the time.
        f"zcat {CONFIG} | grep -v DEBUG_INFO >.config && echo CONFIG_DEBUG_INFO_NONE=y >>.config"
        " && make ARCH=um olddefconfig && make ARCH=um -j2 modules_prepare",
        linux,
    )
    names = set(run(f"strings -n 3 {KERNEL}", linux).splitlines())
    kept: dict[str, str] = {}
    for folder in linux.iterdir():
        for place in (
            (linux / "arch" / "um", linux / "arch" / "x86" / "um")
            if folder.name == "arch"
            else (folder,)
        ):
            for file in place.rglob("*.[cS]") if place.is_dir() else ():
                text = file.read_text(encoding="utf-8", errors="replace")
                for how, name in re.findall(
                    r"^\s*(EXPORT_SYMBOL(?:_GPL)?)\((\w+)\)", text, re.MULTILINE
                ):
                    kept.setdefault(name, how)
    rows = [f"0x00000000\t{n}\tvmlinux\t{how}\t\n" for n, how in sorted(kept.items()) if n in names]
    (linux / "Module.symvers").write_text("".join(rows), encoding="utf-8")
