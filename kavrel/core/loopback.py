"""Whether an address is of the machine itself."""

from ipaddress import ip_address

NAMES = frozenset({"localhost", "testclient"})  # the latter is how tests in process call themselves


def is_loopback(address: str) -> bool:
    """Whether an address, or the name of one, is of the machine itself (RFC 1122, RFC 4291)."""
    if address in NAMES:
        return True
    try:
        ip = ip_address(address.partition("%")[0])
    except ValueError:
        return False
    mapped = getattr(ip, "ipv4_mapped", None)
    return bool((mapped or ip).is_loopback)
