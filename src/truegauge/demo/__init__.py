"""The made-up workshop "Larkspur Instrument Works": demo parts, their scans with known errors, and their plans."""

from pathlib import Path

DATA = Path(__file__).parent / "data"
PART = DATA / "LW-1140.step"
SCAN = DATA / "LW-1140-0027.ply"
TRUTH = DATA / "LW-1140-0027.truth.json"
PLAN = DATA / "LW-1140.tgplan"
CMM_PLAN = DATA / "LW-1140-cmm.tgplan"
COVER_PART = DATA / "LW-1215.step"
COVER_SCAN = DATA / "LW-1215-0008.ply"
COVER_TRUTH = DATA / "LW-1215-0008.truth.json"
COVER_PLAN = DATA / "LW-1215.tgplan"
PANEL_SCAN = DATA / "LW-1502-0003.ply"
PANEL_TRUTH = DATA / "LW-1502-0003.truth.json"
PANEL_PLAN = DATA / "LW-1502.tgplan"
