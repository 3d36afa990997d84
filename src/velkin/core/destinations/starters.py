"""Destinations that ship with the program, each explained in one line; and what to ask a lab."""

from __future__ import annotations

from velkin.core.destinations.destination import Destination, FileFormat
from velkin.core.destinations.sizing import FULL, LONG, PRINT, Size
from velkin.core.files.metadata_policy import ALL, NONE, RIGHTS, MetadataPolicy
from velkin.core.icc.transform import Intent

#: Destinations to begin with, by their id.
STARTERS = {
    d.id: d
    for d in (
        Destination(
            "web", "Web sRGB", "srgb", "web", about="Web pages and any screen: the one space that every viewer shows right.",
            file=FileFormat("jpeg", quality=92), size=Size(LONG, 2048), metadata=MetadataPolicy(RIGHTS, location=False),
        ),
        Destination(
            "lab", "Photo lab", "srgb", "lab", about="A lab that says nothing of colour: sRGB at print size. Ask for its profile and proof for that.",
            file=FileFormat("jpeg", quality=97), size=Size(PRINT), metadata=MetadataPolicy(NONE, location=False), icc_version=2,
        ),
        Destination(
            "print room", "Print room", "", "print room", about="A press or printer by its own profile: choose the profile that the print room gave you.",
            intent=Intent.RELATIVE, file=FileFormat("tiff", 8, compression="lzw"), size=Size(PRINT),
            metadata=MetadataPolicy(RIGHTS, location=False), icc_version=2,
        ),
        Destination(
            "client", "Client", "oprgb", "client", about="A client who works on: opRGB with room for edits. It looks dull where tags are ignored.",
            file=FileFormat("tiff", 16, compression="lzw"), size=Size(FULL), metadata=MetadataPolicy(ALL, location=False),
        ),
        Destination(
            "archive", "Archive", "romm", "archive", about="For yourself in ten years: every colour that was there, 16 bits, nothing stripped.",
            file=FileFormat("tiff", 16, compression="deflate"), size=Size(FULL), metadata=MetadataPolicy(ALL, location=True),
        ),
    )
}  # fmt: skip


def web_srgb() -> Destination:
    """The destination every shoot starts with."""
    return STARTERS["web"]


LAB_HELP = """Ask the lab or print room five things:

1. Which profile do you print with, and may I have it to proof? With it, Proof shows what the paper cannot hold.
2. Shall I convert to it, or send sRGB (or another RGB space) with its tag? Most labs that take JPEGs convert themselves \
and want sRGB; converting twice or not at all is the commonest cause of wrong colour.
3. If I convert: which intent, and with black point compensation? Without an answer, media-relative with it.
4. Which format, how many bits, how many pixels per inch? Usually JPEG or TIFF, 8 bits, 300 ppi at print size.
5. Do you sharpen for your paper? If so, leave output sharpening off.

No answer at all? Send sRGB, 8 bits, tagged, at print size, and ask for one test print before the whole job."""
