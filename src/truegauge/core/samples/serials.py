"""Serial numbers that count on."""

import re


def counted_on(serial: str) -> str:
    """Return the serial number after one: the last digits count on; empty where it has none."""
    found = re.search(r"(\d+)(\D*)$", serial)
    if found is None:
        return ""
    number = str(int(found[1]) + 1).zfill(len(found[1]))
    return f"{serial[: found.start()]}{number}{found[2]}"


def serials(first: str, count: int) -> tuple[str, ...]:
    """Return serial numbers from one on; where it has no digits each of several is followed by its number from 1 on."""
    if count > 1 and not counted_on(first):
        return tuple(f"{first} {k + 1}".strip() for k in range(count))
    made = [first]
    while len(made) < count:
        made.append(counted_on(made[-1]))
    return tuple(made)
