"""Certificates of servers, as the script makes them, with the fingerprint that a client compares."""

from collections.abc import Iterator, Sequence

from kavrel.core.works import CertificateThere, Work
from kavrel.formats.servers.setup.words import left, quoted


def certificate_lines(works: Sequence[Work]) -> Iterator[str]:
    """Each once; one that somebody brought is looked at, and stays."""
    for work in works:
        if isinstance(work, CertificateThere):
            pair = work.certificate
            words = (pair.file, pair.key, pair.reader, work.subject, ",".join(work.names))
            said = left(f"{work.what} is not there, and its server does not start without it")
            yield f"certificate {' '.join(map(quoted, words))} || {said}"
            yield f"known_by {quoted(pair.file)} {quoted(work.what)}"
