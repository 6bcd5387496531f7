"""Files shipped with the application: fonts (B612, SIL Open Font License)."""

from pathlib import Path

FOLDER = Path(__file__).parent
REGULAR = FOLDER / "fonts" / "B612-Regular.ttf"
BOLD = FOLDER / "fonts" / "B612-Bold.ttf"
