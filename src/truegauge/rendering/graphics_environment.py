"""What the graphics libraries are told before they start."""

import os
import shutil
from pathlib import Path

from platformdirs import user_cache_path

_ROOM = 200 << 20  # bytes


def prepare_graphics() -> None:
    """Have pictures drawn off screen, and no shaders kept where there is no room for them.

    The library maps the files of its cache; where the disk is full, writing there ends the process.
    """
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")
    if not has_room(user_cache_path()):
        os.environ.setdefault("MESA_SHADER_CACHE_DISABLE", "true")


def has_room(folder: Path) -> bool:
    """Tell whether the disk of a folder, that may not be there yet, has room."""
    there = next((p for p in (folder, *folder.parents) if p.is_dir()), None)
    try:
        return there is not None and shutil.disk_usage(there).free > _ROOM
    except OSError:
        return False
