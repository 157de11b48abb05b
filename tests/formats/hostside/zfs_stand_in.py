#!/usr/bin/env python3
"""A small stand-in for `zfs` and `zpool`: datasets and snapshots in a JSON file named by $ZFS_STATE.

It knows what lab-job and setup.sh ask of the real ones, and refuses what those refuse: a difference
from a snapshot that the far end does not have, a dataset without a parent or twice, a snapshot
twice, a quota of somebody whom the system does not know, a plain stream onto a raw one. A receive is
cut off once where $ZFS_CUT names the dataset; with -s it leaves a token to go on from, which is
worth nothing once the snapshot is gone. Where $ZFS_ROOT is set, datasets are folders below it.
Source: zfs-send(8), zfs-receive(8), zfs-userspace(8), zpool-status(8) of OpenZFS 2.1.
"""

import json
import os
import pwd
import subprocess
import sys
from pathlib import Path
from typing import Any

STATE = Path(os.environ["ZFS_STATE"])
# Of zfsprops(7): those that are set here.
PROPERTIES = {"acltype", "xattr", "quota", "readonly", "reservation", "userquota"}


def option(words: list[str], name: str) -> str | None:
    return words[words.index(name) + 1] if name in words else None


def stop(text: str) -> int:
    print(f"cannot do that: {text}", file=sys.stderr)
    return 1


def receive(state: dict[str, Any], words: list[str], stream: dict[str, Any]) -> int:
    target = words[-1]
    if not stream:
        return stop("the stream is empty")
    if target.rpartition("/")[0] not in state["sets"]:
        return stop("the parent does not exist")
    there = state["sets"].get(target)
    if stream["from"] is None and there is not None and target not in state["tokens"]:
        return stop("destination exists")
    if stream["from"] is not None and stream["from"] not in (there or {}):
        return stop("most recent snapshot does not match")
    raw = state.setdefault("raw", {})
    if stream["from"] is not None and raw.get(target, False) != stream["raw"]:
        return stop("an encrypted dataset takes raw streams only, and a plain one none")
    raw[target] = stream["raw"]
    if os.environ.get("ZFS_CUT") == target and "-s" in words and not state["cut"]:
        state["cut"] = True
        state["tokens"][target] = json.dumps(stream)
        state["sets"].setdefault(target, {})
        return stop("the stream was cut off")
    state["tokens"].pop(target, None)
    state["sets"].setdefault(target, {})[stream["name"]] = stream["content"]
    if told := option(words, "-o"):  # one that is cut off takes it back
        state.setdefault("set", {}).setdefault(target, []).append(told)
    return 0


def pools(state: dict[str, Any], words: list[str]) -> int:
    """What `zpool` says and does."""
    verb, last = words[0], words[-1]
    if verb == "create":
        rest = [w for n, w in enumerate(words[1:]) if not (w[0] == "-" or words[n][0] == "-")]
        if rest[0] in state["sets"]:
            return stop("pool already exists")
        state["sets"][rest[0]] = {}
        STATE.write_text(json.dumps(state), encoding="utf-8")
        folder(rest[0])
    elif verb in ("list", "status", "scrub"):
        if last not in state["sets"] or "/" in last:
            return stop(f"cannot open '{last}': no such pool")
        if verb == "list":
            print(last)
        elif verb == "status":
            broken = state.get("broken", {}).get(last)
            print(
                f"  pool: {last}\n state: DEGRADED\nerrors: {broken}"
                if broken
                else f"pool '{last}' is healthy"
            )
    else:
        return stop(f"unknown: {words}")
    return 0


def folder(name: str) -> None:
    """A dataset is mounted where it is made."""
    if "ZFS_ROOT" in os.environ:
        there = Path(os.environ["ZFS_ROOT"], name)
        there.mkdir(parents=True, exist_ok=True)
        subprocess.run(["mount", "--bind", there, there], check=False)


def main(words: list[str]) -> int:
    if words[0] == "zpool":
        return pools(json.loads(STATE.read_text(encoding="utf-8")), words[1:])
    # The sender has ended before the state is read: the two run at once.
    listens = words[0] == "receive" and "-A" not in words
    stream = json.loads(sys.stdin.read() or "{}") if listens else {}
    state = json.loads(STATE.read_text(encoding="utf-8"))
    sets, verb, last = state["sets"], words[0], words[-1]
    name, _, snap = last.partition("@")
    code = 0
    if verb == "list":
        if last not in sets:
            return stop("dataset does not exist")
        print(
            f"{last}\n"
            if "snapshot" not in words
            else "".join(f"{last}@{s}\n" for s in sets[last]),
            end="",
        )
    elif verb == "create" and "-p" not in words:
        if last in sets or last.rpartition("/")[0] not in sets:
            return stop("dataset already exists, or its parent does not")
        sets[last] = {}
        if "-V" not in words:
            folder(last)
    elif verb == "create":
        parts = last.split("/")
        if parts[0] not in sets:
            return stop("no such pool")
        for n in range(1, len(parts) + 1):
            sets.setdefault("/".join(parts[:n]), {})
    elif verb == "set":
        if last not in sets:
            return stop("dataset does not exist")
        for one in words[1:-1]:
            key, _, value = one.partition("=")
            of, _, who = key.partition("@")
            if of not in PROPERTIES or not value:
                return stop(f"invalid property '{key}'")
            if of == "userquota":
                try:
                    pwd.getpwnam(who)
                except KeyError:
                    return stop(f"invalid user {who}")
            if of not in ("acltype", "xattr"):
                state.setdefault("set", {}).setdefault(last, []).append(one)
    elif verb == "receive" and "-A" in words:
        state["tokens"].pop(last, None)
        if not sets[last]:
            del sets[last]
    elif verb == "snapshot":
        if name not in sets or snap in sets[name]:
            return stop("dataset does not exist, or the snapshot does already")
        sets[name][snap] = state["content"].get(name, "")
    elif verb == "destroy":
        if not snap or snap not in sets.get(name, {}):
            return stop("could not find any snapshots to destroy")
        del sets[name][snap]
    elif verb == "get":
        if last not in sets:
            return stop("dataset does not exist")
        print(state["tokens"].get(last, "-"))
    elif verb == "send" and "-t" in words:
        going = json.loads(last)
        if going["name"] not in sets.get(going["of"], {}):
            return stop("the snapshot of the token is gone")
        print(last)
    elif verb == "send":
        if snap not in sets.get(name, {}):
            return stop("snapshot does not exist")
        since = option(words, "-i")
        stream = {"name": snap, "content": sets[name][snap], "from": since and since[1:]}
        print(json.dumps({**stream, "of": name, "raw": "--raw" in words}))
    elif verb == "receive":
        code = receive(state, words, stream)
    else:
        return stop(f"unknown: {words}")
    if verb in ("create", "snapshot", "destroy", "receive", "set"):
        STATE.write_text(json.dumps(state), encoding="utf-8")
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
