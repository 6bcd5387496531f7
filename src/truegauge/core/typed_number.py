"""Numbers as people and files write them: finite, and no larger than anything that is measured."""

MOST = 1e6  # mm: a kilometre


def typed_number(text: str) -> float:
    """Return the number that a text says, with a point or a comma.

    Raises
    ------
    ValueError
        It says none, is not finite, or is beyond a million (of mm, degrees, or what it stands for).
    """
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError:
        raise ValueError(f"{text.strip()[:40]!r} is not a number") from None
    return within_reach(value)


def within_reach(value: float) -> float:
    """Return a number that can be one of a part.

    Raises
    ------
    ValueError
        It is not finite, or beyond a million.
    """
    if not -MOST <= value <= MOST:
        raise ValueError(f"{value:g} is out of reach: numbers go from -1,000,000 to 1,000,000")
    return value
