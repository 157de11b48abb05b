"""The rules that a box's kernel has loaded, held against those that its plan hands out.

A rule that is loaded and not planned lets somebody in; a table that is not loaded lets in everybody whom a
service listens to. Source: nft(8), `list ruleset`; how it prints rules again was seen with nftables 1.0.6.
"""

import ipaddress
import re
from collections.abc import Iterator, Sequence
from typing import Literal

from kavrel.core.index import Index
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.timers import FROM_BUNDLE
from kavrel.formats.servers.files import nftables_conf

KIND = "nft"  # as the listing is called
TABLE = "table inet kavrel {"
LOAD = f"cp nftables.conf /etc/; systemctl enable nftables; nft -f /etc/nftables.conf{FROM_BUNDLE}"
COMMENT = re.compile(r' comment "([^"]*)"')
COUNTED = re.compile(r" counter packets \d+ bytes \d+")
SADDR = re.compile(r"\b(ip6?) saddr (\{[^{}]*\}|[0-9a-f.:/-]+)")
# Which number a priority's name stands for is printed by some versions, and by others its name.
HOOKED = re.compile(r"^type filter hook (\w+) priority [^;]+; policy (\w+);$")
HOOK = re.compile(r"^hook (\w+), policy (\w+)$")


def held(index: Index, host: str, text: str, said: Sequence[Drifted]) -> tuple[list[Drifted], int]:
    """Differences of what is loaded, and how many rules agree; a closed box has none of ours."""
    if index.hosts[host].closed:
        return [], 0
    wanted = _chains(nftables_conf(index.plan, host, ""))
    loaded = _chains(text)
    rows = _Rows(index, host)
    if not loaded:
        shown = (
            "no rule of the plan's is loaded: all that listens is open to whoever reaches the box"
        )
        return [rows.row("missing", "firewall", "its own rules alone let in", shown, True)], 0
    return list(rows.all(wanted, loaded)), sum(
        len(wanted[c].keys() & loaded.get(c, {})) for c in wanted
    )


def _chains(text: str) -> dict[str, dict[str, str]]:
    """Rules of our table by chain, each with its remark; the hook and its policy is one of them."""
    chains: dict[str, dict[str, str]] = {}
    inside, rules = False, None
    for line in text.splitlines():
        bare = line.strip()
        if bare == TABLE:
            inside = True
        elif inside and line.startswith("}"):
            inside = False
        elif inside and bare.startswith("chain "):
            rules = chains.setdefault(bare.split()[1], {})
        elif inside and bare == "}":
            rules = None
        elif inside and rules is not None and bare and not bare.startswith("#"):
            remark = COMMENT.search(bare)
            rules[_plain(bare)] = remark[1] if remark else ""
    return chains


def _plain(rule: str) -> str:
    """A rule without what does not decide, its addresses as networks: nft prints neighbours as one range."""
    hooked = HOOKED.match(rule)
    if hooked:
        return f"hook {hooked[1]}, policy {hooked[2]}"
    return SADDR.sub(_networks, COUNTED.sub("", COMMENT.sub("", rule)))


def _networks(match: re.Match[str]) -> str:
    networks: list[ipaddress.IPv4Network | ipaddress.IPv6Network] = []
    try:
        for one in match[2].strip("{} ").split(", "):
            low, _, high = one.partition("-")
            if high:
                ends = (ipaddress.ip_address(low), ipaddress.ip_address(high))
                networks += ipaddress.summarize_address_range(*ends)
            else:
                networks.append(ipaddress.ip_network(low, strict=False))
        joined = sorted(ipaddress.collapse_addresses(networks))  # type: ignore[type-var]
    except (ValueError, TypeError):  # a name, or a set that somebody made
        return match[0]
    shown = [str(n[0] if n.num_addresses == 1 else n) for n in joined]
    return f"{match[1]} saddr {', '.join(shown)}"


class _Rows:
    def __init__(self, index: Index, host: str) -> None:
        self.host, self.name = host, index.hosts[host].name

    def all(
        self, wanted: dict[str, dict[str, str]], loaded: dict[str, dict[str, str]]
    ) -> Iterator[Drifted]:
        for chain in dict.fromkeys((*wanted, *loaded)):
            planned, there = wanted.get(chain, {}), loaded.get(chain, {})
            for rule in (r for r in planned if r not in there):
                hook = HOOK.match(rule)
                if hook:
                    seen = next((h[2] for r in there if (h := HOOK.match(r))), "no such chain")
                    says = f"what no rule lets in: {hook[2]}"
                    yield self.row("different", f"firewall, {hook[1]}", says, seen, True)
                else:
                    yield self.row("missing", _about(planned[rule]), rule, "not let in", False)
            for rule in (r for r in there if r not in planned):
                if not HOOK.match(rule) or chain not in wanted:
                    letting = "accept" in rule.split()
                    yield self.row("extra", _about(there[rule]), "no such rule", rule, letting)

    def row(
        self,
        verdict: Literal["missing", "extra", "different"],
        field: str,
        planned: str,
        seen: str,
        urgent: bool,
    ) -> Drifted:
        return Drifted(
            host=self.host,
            verdict=verdict,
            collection="hosts",
            about=self.host,
            name=self.name,
            field=field,
            planned=planned,
            seen=seen,
            urgent=urgent,
            command=LOAD,
        )


def _about(remark: str) -> str:
    return f"firewall: {remark}" if remark else "firewall"
