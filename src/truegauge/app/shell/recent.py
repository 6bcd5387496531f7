"""The plans that were opened or saved last, each with a picture of what was seen then."""

import hashlib
from datetime import datetime
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QPixmap

_MOST = 6
_MIDDLE = 0.84  # of what is seen: the part without what is at the sides
_KEY = "recent plans"
PICTURE = QSize(132, 84)
_KEPT = QSize(264, 168)


class RecentPlans:
    """Kept with the user's settings; pictures in the cache."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings

    def paths(self) -> list[Path]:
        """Return those that are still there, the last one first."""
        kept = self._settings.value(_KEY, [])  # a list of one comes back as a text
        texts = [str(t) for t in kept] if isinstance(kept, list) else [str(kept)] if kept else []
        return [p for p in map(Path, texts) if p.is_file()]

    def note(self, path: Path) -> None:
        """Put a plan first."""
        path = path.absolute()
        others = [p for p in self.paths() if p != path]
        self._settings.setValue(_KEY, [str(p) for p in (path, *others)][:_MOST])

    def keep_picture(self, path: Path, seen: QPixmap) -> None:
        """Keep what is seen of a plan; a cache that cannot be written is no error."""
        target = _picture_path(path)
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError:
            return
        filled = Qt.AspectRatioMode.KeepAspectRatioByExpanding
        width = round(_MIDDLE * seen.width())
        height = min(seen.height(), round(width * PICTURE.height() / PICTURE.width()))
        seen = seen.copy((seen.width() - width) // 2, (seen.height() - height) // 2, width, height)
        seen.scaled(_KEPT, filled, Qt.TransformationMode.SmoothTransformation).save(str(target), "PNG")

    def picture(self, path: Path) -> QPixmap | None:
        """Return the picture; None when there is none."""
        found = QPixmap(str(_picture_path(path)))
        return None if found.isNull() else found


def when(path: Path) -> str:
    """Say when a file was saved."""
    return f"{datetime.fromtimestamp(path.stat().st_mtime):%d %b %Y, %H:%M}"


def _picture_path(path: Path) -> Path:
    name = hashlib.sha256(str(path.absolute()).encode()).hexdigest()[:24]
    return user_cache_path("truegauge") / "recent" / f"{name}.png"
