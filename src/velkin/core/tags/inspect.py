"""What a file is and what it says of its colour, in the order of authority; no pixel is decoded (JPEG XL's profile excepted).

Embedded ICC profile first; PNG's own chunks in the order of the third edition (cICP, iCCP, sRGB, gAMA + cHRM); then Exif
ColorSpace and InteroperabilityIndex (R98, R03). "Uncalibrated" alone claims nothing.
"""

from __future__ import annotations

import warnings
from dataclasses import dataclass, field
from pathlib import Path

import tifffile
from PIL import Image, UnidentifiedImageError

from velkin.core.errors import BadProfile, UnreadableFile, VelkinError
from velkin.core.files.containers import Carried, carried_by
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.metadata import ExifFacts, exif_facts
from velkin.core.files.picture import LARGEST, check_size, extra_of, kind_of, tiff_pages
from velkin.core.files.raw import is_raw_name, read_facts
from velkin.core.icc.read import parse
from velkin.core.icc.space import LAB, ICCSpace, Space, same, space_of
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace, family_of
from velkin.core.tags.declared import space_of_cicp, space_of_exif, space_of_png
from velkin.core.tags.tag import Statement, Tag

_FORMATS = {"JPEG": "jpeg", "MPO": "jpeg", "PNG": "png", "WEBP": "webp", "AVIF": "avif", "JXL": "jxl"}
_MODELS = {"1": "gray", "L": "gray", "LA": "gray", "I;16": "gray", "I;16B": "gray", "I": "gray", "F": "gray"}
_MODELS |= {"P": "rgb", "RGB": "rgb", "RGBA": "rgb", "RGBX": "rgb", "CMYK": "cmyk", "YCbCr": "rgb", "LAB": "lab"}
_CHANNELS = {"1": 1, "L": 1, "LA": 2, "P": 3, "RGB": 3, "RGBA": 4, "RGBX": 4, "CMYK": 4, "YCbCr": 3, "LAB": 3}
_EXIF_SPACES = {1: "sRGB", 2: "opRGB (not in the standard)", 65535: "uncalibrated"}


@dataclass(frozen=True)
class Inspection:
    """What a file is.

    Attributes
    ----------
    kind : ``raw`` or ``picture``
    channels : int
        Alpha counted.
    said : Space or None
        What its tag or claim gives its numbers for a meaning; None for raw, untagged and damaged files.
    icc : bytes or None
        The embedded profile as it is, sound or not.
    statements : tuple of Statement
        Everything it says of its colour.
    pages : int
        Full-size pictures in it.
    page : int
        The one that is looked at, counted from 0.
    """

    path: Path
    kind: str
    format: str
    width: int
    height: int
    channels: int
    bits: int
    model: str
    tag: Tag
    make: str = ""
    camera: str = ""
    unique: str = ""
    notes: tuple[str, ...] = ()
    said: Space | None = field(default=None, repr=False)
    icc: bytes | None = field(default=None, repr=False)
    statements: tuple[Statement, ...] = field(default=(), repr=False)
    alpha: bool = False
    pages: int = 1
    page: int = 0
    exif: ExifFacts = field(default_factory=ExifFacts, repr=False)


@dataclass
class _Head:
    """The facts of a picture's header."""

    format: str
    width: int
    height: int
    channels: int
    bits: int
    model: str
    alpha: bool
    carried: Carried
    pages: int = 1


def inspect(path: Path, page: int = 0) -> Inspection:
    """Look at one file; `page` is the picture of a file that holds several.

    Raises
    ------
    UnreadableFile
        When it is missing, empty, damaged, too large, or neither a raw file nor a picture that Velkin reads.
    """
    if is_raw_name(path):
        return _raw(path)
    try:
        kind = kind_of(path)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    return _picture(path, kind, page)


def _raw(path: Path) -> Inspection:
    facts = read_facts(path)
    name = facts.unique or "unknown camera"
    return Inspection(
        path=path,
        kind="raw",
        format="dng" if facts.is_dng else "raw",
        width=facts.width,
        height=facts.height,
        channels=3,
        bits=facts.bits,
        model="rgb",
        tag=Tag("raw", "dng" if facts.colour is not None and facts.is_dng else "none", f"camera numbers of {name}"),
        make=facts.make,
        camera=facts.model,
        unique=facts.unique,
        notes=_raw_notes(facts.colour),
        exif=facts.exif,
    )


def _picture(path: Path, kind: str, page: int) -> Inspection:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            head = _tiff_head(path, page) if kind == "tiff" else _other_head(path, kind)
    except VelkinError:
        raise
    except Image.DecompressionBombError as error:
        raise UnreadableFile(f"the picture says it has more than {LARGEST // 1_000_000} million pixels", path) from error
    except UnidentifiedImageError as error:
        raise UnreadableFile("not a picture or raw file that Velkin can read", path) from error
    except Exception as error:  # readers raise what they like on damaged files
        raise UnreadableFile(f"the picture is damaged ({error})", path) from error
    check_size(head.width, head.height, path)
    notes = list(head.carried.damage)
    exif = ExifFacts()
    try:
        exif = exif_facts(path)
    except VelkinError:
        if kind not in ("jxl", "avif"):
            notes.append("its metadata cannot be read")
    tag, said = _tag(head, exif, notes)
    width, height = (head.height, head.width) if exif.orientation >= 5 else (head.width, head.height)
    return Inspection(
        path,
        "picture",
        head.format,
        width,
        height,
        head.channels,
        head.bits,
        head.model,
        tag,
        exif.make,
        exif.model,
        exif.unique_model,
        tuple(notes),
        said,
        head.carried.icc,
        tuple(_statements(head, exif)),
        head.alpha,
        head.pages,
        page,
        exif,
    )


def _tiff_head(path: Path, number: int) -> _Head:
    with tifffile.TiffFile(path) as tif:
        pages = tiff_pages(tif)
        if not 0 <= number < len(pages):
            raise UnreadableFile(f"it holds {len(pages)} pictures, and number {number + 1} was asked for", path)
        page = pages[number]
        photometric = int(page.photometric)
        model = {0: "gray", 1: "gray", 5: "cmyk", 8: "lab", 9: "lab"}.get(photometric, "rgb")
        samples = 3 if photometric == 3 else page.samplesperpixel
        colours = {"gray": 1, "cmyk": 4}.get(model, 3)
        icc = page.tags.get(34675)
        value = icc.value if icc is not None else None
        data = bytes(value) if isinstance(value, (bytes, bytearray, tuple, list)) else None
        bits = page.bitspersample
        damage = () if data is not None or icc is None else ("its embedded profile cannot be read",)
        return _Head(
            "tiff",
            page.imagewidth,
            page.imagelength,
            samples,
            int(bits if isinstance(bits, int) else bits[0]),
            model,
            samples > colours and extra_of(page) > 0,
            Carried(data, "tag 34675" if data is not None else "", damage=damage),
            len(pages),
        )


def _other_head(path: Path, kind: str) -> _Head:
    carried = carried_by(path, kind)
    if carried.size is not None:
        check_size(*carried.size, path)
    if carried.png_type is not None and carried.size is not None:
        colour, depth, clear = carried.png_type
        gray, alpha = colour in (0, 4), clear or colour in (4, 6)
        return _Head("png", *carried.size, (1 if gray else 3) + alpha, max(depth, 8), "gray" if gray else "rgb", alpha, carried)
    if kind == "jxl":
        import pillow_jxl  # noqa: F401  registers the format; its profile is found by decoding only
    with Image.open(path) as picture:
        name, mode, (width, height) = str(picture.format), picture.mode, picture.size
        if kind == "jxl":
            icc = picture.info.get("icc_profile")
            carried = Carried(icc, "colour encoding" if icc else "")
        alpha = mode in ("LA", "RGBA", "PA") or "transparency" in picture.info
    if name not in _FORMATS:
        raise UnreadableFile(f"pictures of the format {name} are not read", path)
    channels = _CHANNELS.get(mode, 1)
    if alpha and channels in (1, 3):
        channels += 1
    bits = carried.bits or (16 if mode.startswith("I") else 32 if mode == "F" else 8)
    return _Head(_FORMATS[name], width, height, channels, bits, _MODELS.get(mode, "rgb"), alpha, carried)


# ---- what it all means --------------------------------------------------------------------------------------------


def _raw_notes(colour: DNGColour | None) -> tuple[str, ...]:
    if colour is None:
        return ("the file names no colour matrix for this camera",)
    return tuple(f"{what} is in the file and is not applied" for what in colour.not_applied)


def _tag(head: _Head, exif: ExifFacts, notes: list[str]) -> tuple[Tag, Space | None]:
    """The tag that holds, what it means, and (in `notes`) what contradicts it."""
    c, model = head.carried, head.model
    winner: Tag | None = None
    meant: Space | None = None
    if c.cicp is not None and (head.format != "avif" or c.icc is None):
        space = space_of_cicp(c.cicp)
        words = f"cICP primaries {c.cicp[0]}, transfer {c.cicp[1]}"
        if space is not None:
            winner, meant = Tag("tagged", "cicp", words, family_of(space) or None), space
        else:
            winner = Tag("damaged", "cicp", f"{words}, which Velkin does not read")
    if c.icc is not None:
        tag, space_in_icc = _icc_tag(c.icc, model)
        if winner is None:
            winner, meant = tag, space_in_icc
            _check_words(c.icc, space_in_icc, notes)
        elif not same(meant, space_in_icc):
            notes.append(f"its embedded profile says {tag.description}; the cICP chunk comes first")
    if c.srgb:
        if winner is None:
            winner, meant = Tag("tagged", "png-srgb", "sRGB chunk", "srgb"), BUILT_IN["srgb"]
        elif not same(meant, BUILT_IN["srgb"]):
            notes.append(f"the sRGB chunk contradicts it; {_what(winner)} comes first")
    if c.gamma is not None and c.chromaticities is not None and model == "rgb":
        space = space_of_png(c.gamma, c.chromaticities)
        if winner is None:
            words = f"gAMA {c.gamma:.5f} and cHRM"
            if space is not None:
                winner, meant = Tag("claimed", "png-gama", words, family_of(space) or None), space
            else:
                notes.append(f"{words} lead to no usable space")
        elif space is not None and family_of(space) and isinstance(meant, RGBSpace) and not same(space, meant):
            notes.append(f"gAMA and cHRM say {space.name}; {_what(winner)} comes first")
    claim = space_of_exif(exif.colour_space, exif.interoperability) if model == "rgb" else None
    if claim is not None:
        if winner is None:
            words = "sRGB" if claim.id == "srgb" else "opRGB (R03)"
            winner, meant = Tag("claimed", "exif", words, claim.id), claim
        elif winner.state == "tagged" and not same(meant, claim):
            notes.append(f"Exif says {claim.name}; {_what(winner)} wins")
    if winner is None and model == "lab":
        return Tag("tagged", "none", "CIE Lab by its colour model"), LAB
    return winner or Tag("untagged", "none"), meant


def _what(tag: Tag) -> str:
    return {"icc": "the embedded profile", "cicp": "the cICP chunk", "png-srgb": "the sRGB chunk"}.get(
        tag.source, "gAMA with cHRM"
    )


def _icc_tag(icc: bytes, model: str) -> tuple[Tag, Space | None]:
    try:
        profile = parse(icc)
        if profile.model != model:
            words = f"{profile.description} (a profile for {profile.model} in a picture of {model})"
            return Tag("damaged", "icc", words), None
        space = space_of(icc)
    except BadProfile as error:
        return Tag("damaged", "icc", error.message), None
    like = space.family or None
    return Tag("tagged", "icc", profile.description or space.name, like), space


def _check_words(icc: bytes, space: Space | None, notes: list[str]) -> None:
    """A profile that names one known space in its words and does another."""
    if space is None or isinstance(space, ICCSpace):
        return
    words = parse(icc).description.casefold()
    for known in BUILT_IN.values():
        for name in (known.name, known.trade_name):
            if name and name.casefold() in words and "linear" not in words and not same(known, space):
                if any(o is not known and o.name.casefold() in words and same(o, space) for o in BUILT_IN.values()):
                    continue
                does = BUILT_IN[space.family].name if space.family else "something else"
                notes.append(f"the embedded profile calls itself {name} and does {does}")
                return


def _statements(head: _Head, exif: ExifFacts) -> list[Statement]:
    c = head.carried
    rows: list[Statement] = []
    where = c.icc_where or {"jpeg": "APP2", "png": "iCCP", "tiff": "tag 34675", "webp": "ICCP", "avif": "colr"}.get(
        head.format, "colour encoding"
    )
    if c.icc is None:
        rows.append(Statement("Embedded profile", where, "none"))
    else:
        tag, _ = _icc_tag(c.icc, head.model)
        rows.append(Statement("Embedded profile", where, tag.description))
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
