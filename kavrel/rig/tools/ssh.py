"""ssh: a command on another box. Source: ssh(1), its exit code 255 for no way."""

import shlex
from functools import lru_cache

from kavrel.rig.box import Box
from kavrel.rig.said import Said, failed


@lru_cache(maxsize=4096)
def _split(command: str) -> tuple[str, ...]:
    return tuple(shlex.split(command))


def ssh(box: Box, words: list[str], stdin: bytes) -> Said:
    """Ssh [-o OPTION] HOST COMMAND."""
    left = list(words)
    while left and left[0].startswith("-"):
        option = left.pop(0)
        if option in ("-o", "-i", "-p", "-l"):
            left.pop(0)
    if not left:
        return failed("usage: ssh destination [command [argument ...]]", 255)
    address, command = left[0], " ".join(left[1:])
    other = box.lab.box_at(address)
    if other is None:
        return failed(f"ssh: Could not resolve hostname {address}: Name or service not known", 255)
    if not box.lab.reaches(box, other, address.rpartition("@")[2]):
        return failed(f"ssh: connect to host {address} port 22: No route to host", 255)
    if other.host.closed:
        return failed(f"ssh: connect to host {address} port 22: Connection refused", 255)
    asked = list(_split(command))
    if not asked:
        return failed("Pseudo-terminal will not be allocated because stdin is not a terminal.", 255)
    if box.lab.real is not None and box.lab.real.ssh is not None:
        return box.lab.real.ssh.answer(box.lab, words, other, asked, stdin)
    try:
        return other.command(asked, stdin)
    except FileNotFoundError:
        return failed(f"sh: 1: {asked[0]}: not found", 127)
