"""Pictures of a camera from files: PNG and TIFF, BMP and JPEG where nothing else is there; folders of them."""

from __future__ import annotations

import io
import struct
import warnings
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import FormatError
from truegauge.formats.files import read_bytes

if TYPE_CHECKING:
    from pathlib import Path

    from PIL import Image

    from truegauge.core.silhouette.edges import Picture

SUFFIXES = (".png", ".tif", ".tiff", ".bmp", ".jpg", ".jpeg")
_MOST_SIDE, _LEAST_SIDE = 30_000, 16


def read_picture(path: Path) -> Picture:
    """Return a picture as grey values (rows, columns), 0 dark, 255 light; of colours their brightness.

    Raises
    ------
    FormatError
        The file is none, is broken or cut off, or is too large or too small.
    """
    return picture_from_bytes(path, read_bytes(path))


def picture_from_bytes(path: Path, data: bytes) -> Picture:
    """Return the picture in the content of a file, as `read_picture` does."""
    from PIL import Image, UnidentifiedImageError

    again = "export it again as PNG or TIFF"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            opened = Image.open(io.BytesIO(data))
            wide, high = opened.size
            if min(wide, high) < _LEAST_SIDE or max(wide, high) > _MOST_SIDE:
                words = f"{wide:,} x {high:,} pixels: from {_LEAST_SIDE} to {_MOST_SIDE:,} a side can be used"
                raise FormatError(path, words)
            opened.load()  # all of it: what is cut off is no picture
    except UnidentifiedImageError:
        raise FormatError(path, f"this is no picture, or its beginning is broken; {again}") from None
    except (Image.DecompressionBombWarning, Image.DecompressionBombError):
        raise FormatError(path, f"it unpacks to more than {Image.MAX_IMAGE_PIXELS or 0:,} pixels") from None
    except (OSError, SyntaxError, ValueError, EOFError, struct.error, UserWarning) as error:
        raise FormatError(path, f"the picture is broken or cut off ({error}); {again}") from None
    return _grey(path, opened)


def _grey(path: Path, opened: Image.Image) -> Picture:
    """Return grey values of 8 bits; of colours their brightness (ITU-R BT.601)."""
    if opened.mode.startswith("I;16"):
        deep = np.asarray(opened).astype(np.uint32)
        return np.asarray((deep * 255 + 32767) // 65535, dtype=np.uint8)
    if opened.mode in ("F", "I"):
        raise FormatError(path, "its grey values are of 32 bits: those of 8 or 16 bits can be used")
    if opened.mode in ("LA", "PA", "RGBA", "RGBa", "La"):
        opened = opened.convert("RGBA" if opened.mode in ("PA", "RGBa") else opened.mode).convert(
            "L" if opened.mode in ("LA", "La") else "RGB"
        )
    return np.ascontiguousarray(np.asarray(opened.convert("L"), dtype=np.uint8))


def png_of(picture: Picture) -> bytes:
    """Return a picture as PNG, with all its grey values."""
    from PIL import Image

    stream = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(picture)).save(stream, "PNG", compress_level=1)
    return stream.getvalue()


def pictures_in(path: Path) -> list[Path]:
    """Return the pictures in a folder, in the order of their names; of a file itself.

    Raises
    ------
    FormatError
        There is none.
    """
    if not path.is_dir():
        return [path]
    try:
        found = sorted(p for p in path.iterdir() if p.suffix.lower() in SUFFIXES and not p.name.startswith("."))
    except OSError as error:
        raise FormatError(path, f"the folder cannot be read ({error.strerror})") from None
    if not found:
        raise FormatError(path, f"there are no pictures in this folder ({', '.join(SUFFIXES)})")
    return found
