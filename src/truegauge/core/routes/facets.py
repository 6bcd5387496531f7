"""Facets of a fixture as a text in the plan: what reads, compares and keeps quickly; lengths mm."""

import base64
import binascii
import zlib
from functools import lru_cache

import numpy as np

from truegauge.core.arrays import Floats, frozen

MOST_FACETS = 60_000
_BYTES = 36  # of a facet: nine numbers


def facets_to_text(corners: Floats) -> str:
    """Return the corners (n, 3, 3) of facets as a text: little-endian float32, packed (zlib), in base 64.

    Raises
    ------
    ValueError
        There are none, too many, or some that are no numbers.
    """
    found = np.asarray(corners, dtype=np.float64).reshape(-1, 3, 3)
    if not len(found):
        raise ValueError("it has no facets")
    if len(found) > MOST_FACETS:
        raise ValueError(f"it has {len(found):,} facets, more than {MOST_FACETS:,}: save it coarser")
    if not np.isfinite(found).all():
        raise ValueError("some of its corners are no numbers")
    return base64.b64encode(zlib.compress(found.astype("<f4").tobytes(), 6)).decode("ascii")


@lru_cache(maxsize=32)
def facets_from_text(text: str) -> Floats:
    """Return the corners (n, 3, 3), mm.

    Raises
    ------
    ValueError
        It is no such text.
    """
    try:
        packed = base64.b64decode(text, validate=True)
        unpacking = zlib.decompressobj()
        data = unpacking.decompress(packed, MOST_FACETS * _BYTES + 1)
    except (binascii.Error, zlib.error) as error:
        raise ValueError("its facets cannot be read") from error
    if not data or len(data) % _BYTES or len(data) > MOST_FACETS * _BYTES or not unpacking.eof:
        raise ValueError("its facets are cut off, or too many")
    corners = np.frombuffer(data, dtype="<f4").astype(np.float64).reshape(-1, 3, 3)
    if not np.isfinite(corners).all():
        raise ValueError("some of its corners are no numbers")
    return frozen(corners)
