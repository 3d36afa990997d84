"""Everything that a file says of its colour, each where it says so."""

from __future__ import annotations

from velkin.core.files.exif import ExifFacts
from velkin.core.files.formats import format_named
from velkin.core.files.formats.base import Head
from velkin.core.files.kinds import kind_named
from velkin.core.tags.declared import space_of_cicp
from velkin.core.tags.holding import icc_tag
from velkin.core.tags.tag import Statement

_EXIF_SPACES = {1: "sRGB", 2: "opRGB (not in the standard)", 65535: "uncalibrated"}


def statements_of(head: Head, exif: ExifFacts) -> list[Statement]:
    """All of it, in the order of authority."""
    c = head.colour
    rows: list[Statement] = []
    where = c.icc_where or format_named(head.format).icc_place
    if c.icc is None:
        rows.append(Statement("Embedded profile", where, "none"))
    else:
        tag, _ = icc_tag(c.icc, head.model)
        rows.append(Statement("Embedded profile", where, tag.description))
    if c.by_format:
        rows.append(Statement("Without a profile", kind_named(head.format).name, "sRGB"))
    if c.cicp is not None:
        space = space_of_cicp(c.cicp)
        rows.append(Statement("Code points", "cICP", f"{c.cicp[0]}, {c.cicp[1]}" + (f": {space.name}" if space else "")))
    if head.format == "png":
        if c.srgb:
            rows.append(Statement("sRGB chunk", "PNG", "sRGB"))
        if c.gamma is not None:
            rows.append(Statement("Gamma", "gAMA", f"1/{1 / c.gamma:.2f}" if c.gamma > 0 else "0"))
        if c.chromaticities is not None:
            rows.append(Statement("Primaries", "cHRM", "given"))
    if exif.colour_space is None:
        said = "not set"
    else:
        said = _EXIF_SPACES.get(exif.colour_space, f"code {exif.colour_space}")
    rows.append(Statement("Colour space", "Exif", said))
    rows.append(Statement("Interoperability", "Exif", exif.interoperability or "not set"))
    return rows
