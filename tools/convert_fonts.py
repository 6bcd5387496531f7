"""Turn the B612 fonts of Debian's fonts-b612 (OTF, OFL) into TrueType outlines, which the PDF writer can embed."""

import sys
from pathlib import Path

from fontTools.pens.cu2quPen import Cu2QuPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont, newTable


def convert(source: Path, target: Path) -> None:
    font = TTFont(source)
    order, glyph_set = font.getGlyphOrder(), font.getGlyphSet()
    glyphs = {}
    for name in order:
        pen = TTGlyphPen(glyph_set)
        glyph_set[name].draw(Cu2QuPen(pen, max_err=0.5, reverse_direction=True))
        glyphs[name] = pen.glyph()
    font["loca"] = newTable("loca")
    font["glyf"] = glyf = newTable("glyf")
    glyf.glyphOrder, glyf.glyphs = order, glyphs
    font["hmtx"].metrics = {n: (font["hmtx"][n][0], getattr(glyphs[n], "xMin", 0) or 0) for n in order}
    maxp = font["maxp"]
    maxp.tableVersion = 0x00010000
    for name in ("maxTwilightPoints", "maxStorage", "maxFunctionDefs", "maxInstructionDefs", "maxStackElements",
                 "maxSizeOfInstructions"):  # fmt: skip
        setattr(maxp, name, 0)
    maxp.maxZones = 1
    maxp.maxComponentElements = max((len(g.components) for g in glyphs.values() if g.isComposite()), default=0)
    for table in ("CFF ", "VORG", "FFTM"):
        if table in font:
            del font[table]
    font["post"].formatType = 2.0
    font["post"].extraNames, font["post"].mapping, font["post"].glyphOrder = [], {}, order
    font.sfntVersion = "\x00\x01\x00\x00"
    font["head"].modified = font["head"].created
    font.recalcTimestamp = False
    font.save(target)


if __name__ == "__main__":
    source_folder, target_folder = Path(sys.argv[1]), Path(sys.argv[2])
    for style in ("Regular", "Bold"):
        convert(source_folder / f"B612-{style}.otf", target_folder / f"B612-{style}.ttf")
