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
# All of a machine's tries at once: each either connects soon, or nothing comes back.
TRY = """
import json, select, socket, sys, time
asked, through = json.loads(sys.argv[1]), {}
waiting = {}
for n, (address, port) in enumerate(asked):
    family, kind, protocol, _, where = socket.getaddrinfo(address, port, type=socket.SOCK_STREAM)[0]
    s = socket.socket(family, kind, protocol)
    s.setblocking(False)
    through[n] = s.connect_ex(where) == 0
    waiting[s.fileno()] = n, s
look = select.poll()
for number in waiting:
    look.register(number, select.POLLOUT)
until = time.monotonic() + 1.5
while waiting and time.monotonic() < until:
    for number, _ in look.poll(100):
        n, s = waiting.pop(number)
        look.unregister(number)
        through[n] = s.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR) == 0
print(json.dumps([through[n] for n in range(len(asked))]))
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

    def address(client: str, target: str) -> str:
        if ":" not in target:
            return target
        host, _, wire = target.partition(":")  # over IPv6 on the link itself
        number = list(given["machines"]).index(client)
        return f"{link_local(given, host, wire)}%w{number}{wire}"

    def come_through(client: str) -> list[bool]:
        asked = [[address(client, t), port] for c, t, port in given["tries"] if c == client]
        said = run(*inside(client, sys.executable, "-c", TRY, json.dumps(asked)))
        return list(json.loads(said))

    try:
        clients = list(dict.fromkeys(t[0] for t in given["tries"]))
        with ThreadPoolExecutor(len(clients)) as pool:
            answers = {
                c: iter(a) for c, a in zip(clients, pool.map(come_through, clients), strict=True)
            }
        found = [next(answers[t[0]]) for t in given["tries"]]
    finally:
        for server in servers:
            server.kill()
            server.wait(90)
    print("DOORS " + json.dumps(found))


if __name__ == "__main__":
    assert socket.has_dualstack_ipv6()
    main()
