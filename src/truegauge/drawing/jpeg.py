"""Pictures as they are stored in reports."""

import io

import numpy as np

from truegauge.drawing.surface import Pixels

_QUALITY = 88


def jpeg(pixels: Pixels) -> bytes:
    """Return a picture (height, width, 3 or more channels, of which the first three count) as a JPEG file."""
    from PIL import Image

    stored = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels[:, :, :3])).save(stored, "JPEG", quality=_QUALITY)
    return stored.getvalue()
