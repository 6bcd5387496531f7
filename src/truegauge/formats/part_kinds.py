"""Which files are parts, and what tells one content of a part from another."""

from truegauge.formats.cad_arrays import VERSION
from truegauge.formats.files import content_key

CAD_KINDS = {".step": "step", ".stp": "step", ".iges": "iges", ".igs": "iges"}
NOMINAL_ENDING = ".csv"
PART_ENDINGS = (*CAD_KINDS, NOMINAL_ENDING)


def part_key(data: bytes) -> str:
    """Return the key that `read_part` gives to a file of this content."""
    return f"{content_key(data)}-{VERSION}"
