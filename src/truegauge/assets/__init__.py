"""Files shipped with the application: fonts (B612, SIL Open Font License), marks of our own."""

from pathlib import Path

FOLDER = Path(__file__).parent
REGULAR = FOLDER / "fonts" / "B612-Regular.ttf"
TICK = FOLDER / "marks" / "tick.png"
BOLD = FOLDER / "fonts" / "B612-Bold.ttf"
