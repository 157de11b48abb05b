#!/usr/bin/env python3
"""A small stand-in for the `zfs` command: datasets and snapshots in a JSON file named by $ZFS_STATE.

It knows what lab-job asks of the real one, and refuses what the real one refuses: a difference from
a snapshot that the far end does not have, a dataset without a parent, a snapshot twice. A receive
is cut off once where $ZFS_CUT names the dataset; with -s it leaves a token to go on from.
Source: zfs-send(8), zfs-receive(8) of OpenZFS 2.1.
"""

import json
import os
import sys
from pathlib import Path
from typing import Any

STATE = Path(os.environ["ZFS_STATE"])


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
    if os.environ.get("ZFS_CUT") == target and "-s" in words and not state["cut"]:
        state["cut"] = True
        state["tokens"][target] = json.dumps(stream)
        state["sets"].setdefault(target, {})
        return stop("the stream was cut off")
    state["tokens"].pop(target, None)
    state["sets"].setdefault(target, {})[stream["name"]] = stream["content"]
    return 0


def main(words: list[str]) -> int:
    # The sender has ended before the state is read: the two run at once.
    stream = json.loads(sys.stdin.read() or "{}") if words[0] == "receive" else {}
    state = json.loads(STATE.read_text(encoding="utf-8"))
    sets, verb, last = state["sets"], words[0], words[-1]
    name, _, snap = last.partition("@")
    code = 0
    if verb == "list":
        if last not in sets:
            return stop("dataset does not exist")
        print("".join(f"{last}@{s}\n" for s in sets[last]), end="")
    elif verb == "create":
        parts = last.split("/")
        for n in range(1, len(parts) + 1):
            sets.setdefault("/".join(parts[:n]), {})
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
        print(last)
    elif verb == "send":
        if snap not in sets.get(name, {}):
            return stop("snapshot does not exist")
        since = option(words, "-i")
        print(json.dumps({"name": snap, "content": sets[name][snap], "from": since and since[1:]}))
    elif verb == "receive":
        code = receive(state, words, stream)
    else:
        return stop(f"unknown: {words}")
    if verb in ("create", "snapshot", "destroy", "receive"):
        STATE.write_text(json.dumps(state), encoding="utf-8")
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
