"""SMB: files for desktops, by account. Its shares and grants have their own place in the plan."""

from kavrel.core.shares.protocols.protocol import Protocol

SMB = Protocol(
    id="smb",
    title="SMB",
    gives="files",
    systems=frozenset({"windows", "macos", "linux", "phone"}),
    many_writers=True,
    clear_text=lambda export: False,
    fields=(),
    ports=lambda export: ((445, "tcp", "SMB"),),
    why="desktops and phones of people, each with a grant of their own",
    seen=lambda export, index: iter(()),
)
