"""Damaging a good file in ways that really happen: bytes changed, cut off, doubled, runs of zeros."""


def mutated(good, rng, head=400):
    """Return a damaged copy; half of the damage hits the head, where the counts and sizes are."""
    data = bytearray(good)
    kind = rng.integers(0, 5)
    reach = min(len(data), head) if rng.random() < 0.5 else len(data)
    if kind == 0:
        return bytes(data[: rng.integers(0, len(data))])
    if kind == 1:
        at, length = int(rng.integers(0, reach)), int(rng.integers(1, 64))
        data[at : at + length] = bytes(min(length, len(data) - at))
    elif kind == 2:
        at, length = int(rng.integers(0, reach)), int(rng.integers(1, 200))
        data[at:at] = data[at : at + length]
    else:
        for at in rng.integers(0, reach, rng.integers(1, 30)):
            data[at] = rng.integers(0, 256)
    return bytes(data)


def assert_only_refusals(read, path, good, count, seed, is_whole, head=400):
    """Read `count` damaged copies: each is refused with a message that names the file, or read as a whole."""
    import numpy as np

    from truegauge.core.errors import FormatError

    rng = np.random.default_rng(seed)
    refused = 0
    for _ in range(count):
        path.write_bytes(mutated(good, rng, head))
        try:
            found = read(path)
        except FormatError as error:
            refused += 1
            assert str(error).startswith(f"{path.name}: "), str(error)
            assert len(str(error)) > len(path.name) + 15
        else:
            assert is_whole(found)
    assert refused > count // 4
