"""SMB: files for desktops, by account. Its shares and grants have their own place in the plan."""

from kavrel.core.shares.protocols.protocol import Protocol, Service, as_who_signed_in

SMB = Protocol(
    id="smb",
    title="SMB",
    gives="files",
    systems=frozenset({"windows", "macos", "linux", "phone"}),
    many_writers=True,
    clear_text=lambda export: False,
    fields=(),
    ports=lambda export: ((445, "tcp", "SMB"),),
    service=Service(
        package="samba",
        files=(("smb.conf", "/etc/samba/smb.conf"),),
        check="testparm -s",
        start="systemctl enable --now smbd",
        minds=("Set everybody's password: `smbpasswd -a LOGIN`; it is not that of the system.",),
    ),
    why="desktops and phones of people, each with a grant of their own",
    acts_as=as_who_signed_in,
    seen=lambda export, index: iter(()),
)
