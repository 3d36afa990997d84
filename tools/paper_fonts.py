"""Makes the fonts of receipts from Inter: outlines as PDF readers take them everywhere, and the letters of European languages only."""

from __future__ import annotations

from pathlib import Path

from fontTools import subset
from fontTools.pens.cu2quPen import Cu2QuPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont, newTable

FONTS = Path(__file__).parent.parent / "src" / "velkin" / "fonts"
RANGES = ((0x20, 0x250), (0x370, 0x530), (0x1E00, 0x1F00), (0x2000, 0x2070), (0x20A0, 0x20C0))
SINGLE = (0x2122, 0x2190, 0x2192, 0x2206, 0x2212, 0x2248, 0x2260, 0x2264, 0x2265, 0x2713)


def convert(source: Path, out: Path) -> None:
    """A font of cubic outlines as one of quadratic ones, to within a thousandth of its size."""
    font = TTFont(source)
    options = subset.Options()
    options.layout_features = ["kern", "tnum"]
    options.name_IDs = ["*"]
    options.hinting = False
    subsetter = subset.Subsetter(options)
    subsetter.populate(unicodes={*SINGLE, *(c for first, last in RANGES for c in range(first, last))})
    subsetter.subset(font)
    shapes, order = font.getGlyphSet(), font.getGlyphOrder()
    glyphs = {}
    for name in order:
        pen = TTGlyphPen(shapes)
        shapes[name].draw(Cu2QuPen(pen, 1.0, reverse_direction=True))
        glyphs[name] = pen.glyph()
    table = newTable("glyf")
    table.glyphOrder, table.glyphs = order, glyphs
    font["loca"], font["glyf"] = newTable("loca"), table
    del font["CFF "]
    head = font["maxp"]
    head.tableVersion = 0x00010000
    zeros = "TwilightPoints Storage FunctionDefs InstructionDefs StackElements SizeOfInstructions ComponentElements Points"
    for name in f"{zeros} Contours CompositePoints CompositeContours ComponentDepth".split():
        setattr(head, f"max{name}", 0)
    head.maxZones = 1
    post = font["post"]
    post.formatType, post.extraNames, post.mapping = 3.0, [], {}
    font.sfntVersion = "\0\1\0\0"
    font["head"].glyphDataFormat = 0
    font.save(out)


if __name__ == "__main__":
    for weight in ("Regular", "SemiBold"):
        convert(FONTS / f"Inter-{weight}.otf", FONTS / f"Inter-{weight}-paper.ttf")
