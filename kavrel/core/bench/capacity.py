"""How many bytes a disk of an advertised size really has.

Up to 8 TB: IDEMA LBA1-03. Above: SNIA SFF-8447. Both count sectors of 512 bytes.
"""

import re

SECTOR = 512
GB = 10**9
TB = 10**12
SMALLEST_LABEL_GB = 50  # LBA1-03 starts here
LBA103_LIMIT_GB = 8000
SFF8447_STEP_SECTORS = 2**21

_LABEL = re.compile(r"^\s*([0-9]+(?:\.[0-9]+)?)\s*([GT])B\s*$", re.IGNORECASE)
_UNITS = {"G": 1, "T": 1000}


class CapacityError(ValueError):
    """A size that is neither an advertised label nor a count of bytes."""


def labelled_sectors(gigabytes: int) -> int:
    """512-byte sectors of a disk sold as so many decimal gigabytes.

    Source: IDEMA LBA1-03 (50 GB to 8 TB); SFF-8447 (above 8 TB).
    Raises CapacityError below 50 GB, where neither standard speaks.
    """
    if gigabytes < SMALLEST_LABEL_GB:
        raise CapacityError("the size standards start at 50 GB: give the exact bytes instead")
    if gigabytes <= LBA103_LIMIT_GB:
        return 97_696_368 + 1_953_504 * (gigabytes - 50)
    exact = -(-gigabytes * GB // SECTOR)
    return -(-exact // SFF8447_STEP_SECTORS) * SFF8447_STEP_SECTORS


def labelled_bytes(gigabytes: int) -> int:
    """Bytes of a disk sold as so many decimal gigabytes; see `labelled_sectors`."""
    return labelled_sectors(gigabytes) * SECTOR


def parse_capacity(text: str) -> int:
    """Bytes from `12TB`, `500 GB`, `0.96 TB` (made exact by the standards) or plain bytes.

    Raises CapacityError with what would be right.
    """
    plain = text.strip()
    if re.fullmatch(r"[0-9]{1,18}", plain):
        count = int(plain)
        if not 10**9 <= count <= 10**14:
            raise CapacityError("a plain number is bytes: from 1 GB (1000000000) to 100 TB")
        return count
    if "," in plain:
        raise CapacityError("write the size with a decimal point, as 1.92 TB, without commas")
    if re.search(r"[KMGT]iB\s*$", plain, re.IGNORECASE):
        raise CapacityError("disks are sold in decimal units: write TB or GB, or the exact bytes")
    match = _LABEL.match(plain)
    if not match or len(plain) > 20:
        raise CapacityError("write a size such as 4TB or 500 GB, or the exact number of bytes")
    whole, _, fraction = match.group(1).partition(".")
    scaled = int(whole + fraction) * _UNITS[match.group(2).upper()]
    gigabytes, rest = divmod(scaled, 10 ** len(fraction))
    if rest:
        raise CapacityError("labels are whole gigabytes: give the exact bytes instead")
    if gigabytes > 100_000:
        raise CapacityError("no disk is that large: at most 100 TB")
    return labelled_bytes(gigabytes)
