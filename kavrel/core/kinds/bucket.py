"""Sync to a bucket: objects over the S3 protocol, at somebody else's site."""

from kavrel.core.kinds.kind import OWNERLESS, RULES, Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"sign in to the provider of {at.pool} as {at.account}"
        if at.account
        else f"open {at.pool}",
        at.key or "it is not encrypted",
        "older versions are kept as versions of each object; download into an empty folder",
        OWNERLESS,
    )


BUCKET = Kind(
    id="bucket",
    title="bucket sync",
    target="bucket",
    ownerless=True,
    does="uploads changed files as objects; old versions stay as the retention says",
    needs="an account there, a way out, encryption at the source",
    locks="nothing",
    takes="a look at every file, then the changed bytes over the uplink",
    protects="loss of every site of one's own",
    does_not="the account being closed or unpaid, the loss of the key",
    compresses=True,
    reads="files",
    by_tool=True,
    fetch=_fetch,
    keeps=RULES,
    told=frozenset({"retention"}),
)
