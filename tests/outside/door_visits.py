"""Run inside a namespace of its own: a small network of machines, and who reaches which port.

Reads a JSON object from standard input: machines with their addresses on two wires, rules for some
of them, and tries. Prints which tries came through, as JSON.
"""

import json
import socket
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

LISTEN = """
import socket, sys
socks = []
for port in map(int, sys.argv[1:]):
    s = socket.create_server(('::', port), family=socket.AF_INET6, dualstack_ipv6=True, backlog=50)
    socks.append(s)
print('up', flush=True)
sys.stdin.read()
"""
TRY = """
import socket, sys
try:
    socket.create_connection((sys.argv[1], int(sys.argv[2])), timeout=1.5).close()
    print('yes')
except OSError:
    print('no')
"""


def run(*command: str) -> str:
    """A command that has to go well."""
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout


def inside(name: str, *command: str) -> list[str]:
    """A command in a machine."""
    return ["ip", "netns", "exec", name, *command]


def built(given: dict[str, Any]) -> None:
    """Wires, machines, addresses and their firewalls."""
    Path("/run/netns").mkdir(exist_ok=True)
    run("mount", "-t", "tmpfs", "none", "/run/netns")
    wires = {w for m in given["machines"].values() for w in m["on"]}
    for wire in wires:
        run("ip", "link", "add", wire, "type", "bridge")
        run("ip", "link", "set", wire, "up")
    for number, (name, machine) in enumerate(given["machines"].items()):
        run("ip", "netns", "add", name)
        run(*inside(name, "ip", "link", "set", "lo", "up"))
        for wire, address in machine["on"].items():
            here, there = f"v{number}{wire}", f"w{number}{wire}"
            run("ip", "link", "add", here, "type", "veth", "peer", "name", there)
            run("ip", "link", "set", here, "master", wire, "up")
            run("ip", "link", "set", there, "netns", name)
            # Its own address can be used at once, without asking whether somebody has it.
            run(*inside(name, "sysctl", "-qw", f"net.ipv6.conf.{there}.accept_dad=0"))
            run(*inside(name, "ip", "addr", "add", address, "dev", there))
            run(*inside(name, "ip", "link", "set", there, "up"))
        for network in machine.get("also", ()):
            wire = next(iter(machine["on"]))
            run(*inside(name, "ip", "route", "add", network, "dev", f"w{number}{wire}"))
        if machine.get("rules"):
            rules = Path(given["room"], f"{name}.nft")
            rules.write_text(machine["rules"], encoding="utf-8")
            run(*inside(name, "nft", "-f", str(rules)))


def link_local(given: dict[str, Any], name: str, wire: str) -> str:
    """A machine's own IPv6 address on a wire."""
    number = list(given["machines"]).index(name)
    shown = run(*inside(name, "ip", "-6", "-o", "addr", "show", "dev", f"w{number}{wire}"))
    return next(w.split("/")[0] for w in shown.split() if w.startswith("fe80"))


def main() -> None:
    """Tries every way at once."""
    given = json.load(sys.stdin)
    built(given)
    servers = []
    for name, machine in given["machines"].items():
        if machine.get("rules"):
            command = inside(
                name,
                sys.executable,
                "-c",
                LISTEN,
                *map(str, sorted({t[2] for t in given["tries"]})),
            )
            server = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
            )
            assert server.stdout
            assert server.stdout.readline() == "up\n"
            servers.append(server)

    def comes_through(one: list[Any]) -> bool:
        client, target, port = one
        if ":" in target:  # HOST:WIRE, over IPv6 on the link itself
            host, _, wire = target.partition(":")
            number = list(given["machines"]).index(client)
            target = f"{link_local(given, host, wire)}%w{number}{wire}"
        done = subprocess.run(
            inside(client, sys.executable, "-c", TRY, target, str(port)),
            capture_output=True,
            text=True,
            check=True,
        )
        return done.stdout.strip() == "yes"

    try:
        with ThreadPoolExecutor(12) as pool:
            found = list(pool.map(comes_through, given["tries"]))
    finally:
        for server in servers:
            server.kill()
            server.wait(10)
    print("DOORS " + json.dumps(found))


if __name__ == "__main__":
    assert socket.has_dualstack_ipv6()
    main()
