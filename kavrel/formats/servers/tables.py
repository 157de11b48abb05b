"""Words as tables of mounts and addresses with a path take them."""

# Of names in the kernel's table of mounts: what would end a field, begin a comment or an escape.
ESCAPED = {" ": "\\040", "\t": "\\011", "#": "\\043", "\\": "\\134", "'": "\\047", '"': "\\042"}


def in_address(place: str) -> str:
    """A host as URLs and mounts name it: an IPv6 address stands in brackets."""
    return f"[{place}]" if ":" in place else place


def in_table(text: str) -> str:
    """A name as a field of fstab or of a map: see fstab(5) for the octal escapes."""
    return "".join(ESCAPED.get(c, c) for c in text)
