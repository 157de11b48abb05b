"""A cloud drive: a folder that a provider's own client keeps equal with an account there."""

from kavrel.core.kinds.kind import OWNERLESS, Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    trash = f"for {at.trash_days} days" if at.trash_days else "as long as the provider says"
    return (
        f"{at.stop_first}; pause its client on every device",
        f"sign in to the provider of {at.pool} as {at.account} in a browser"
        if at.account
        else f"open {at.pool} in a browser",
        at.key or "it is not encrypted: the provider can read it",
        f"what was deleted is in its bin {trash}; download into an empty folder",
        OWNERLESS,
    )


DRIVE = Kind(
    id="drive",
    title="cloud drive",
    target="bucket",
    ownerless=True,
    does="keeps a folder equal with the account at a provider, deletions too",
    needs="an account there, the provider's client or one that speaks to it, always running",
    locks="nothing; files that are open wait",
    takes="the changed files over the uplink, as they change",
    protects="loss of every site of one's own, with minutes of work lost",
    does_not="what travels to it as well: deletion and encryption, beyond the provider's bin; the account "
    "being closed; whoever signs in with its password: nothing in it can be locked",
    versions=False,
    reads="told",
    trash=True,
    continuous=True,
    by_tool=True,
    fetch=_fetch,
    keeps=frozenset({"trash_days"}),
    told=frozenset({"retention"}),
)
