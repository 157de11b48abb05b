"""Sync to a bucket: objects over the S3 protocol, at somebody else's site."""

from kavrel.core.copies.kinds.kind import Kind

BUCKET = Kind(
    id="bucket",
    title="bucket sync",
    target="bucket",
    does="uploads changed files as objects; old versions stay as the retention says",
    needs="an account there, a way out, encryption at the source",
    locks="nothing",
    takes="a look at every file, then the changed bytes over the uplink",
    protects="loss of every site of one's own",
    does_not="the account being closed or unpaid, the loss of the key",
    compresses=True,
    reads="files",
)
