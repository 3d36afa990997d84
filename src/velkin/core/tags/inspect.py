"""What a file is and what it says of its colour, in the order of authority; no pixel is decoded.

Embedded ICC profile first; PNG's own chunks in the order of the third edition (cICP, iCCP, sRGB, gAMA + cHRM); then Exif
ColorSpace and InteroperabilityIndex (R98, R03). "Uncalibrated" alone claims nothing.
"""

from __future__ import annotations

import struct
import warnings
from dataclasses import dataclass, field
from pathlib import Path

from PIL import Image, UnidentifiedImageError

from velkin.core.errors import BadProfile, NotSupported, UnreadableFile, VelkinError
from velkin.core.files.metadata import ExifFacts, exif_facts
from velkin.core.files.raw import is_raw_name, read_facts
from velkin.core.icc.read import parse
from velkin.core.icc.recognise import recognise

_FORMATS = {"JPEG": "jpeg", "MPO": "jpeg", "PNG": "png", "TIFF": "tiff", "WEBP": "webp", "AVIF": "avif"}
_MODELS = {"1": "gray", "L": "gray", "LA": "gray", "I;16": "gray", "I;16B": "gray", "I": "gray", "F": "gray"}
_MODELS |= {"P": "rgb", "RGB": "rgb", "RGBA": "rgb", "RGBX": "rgb", "CMYK": "cmyk", "YCbCr": "rgb", "LAB": "lab"}
_CHANNELS = {"1": 1, "L": 1, "LA": 2, "P": 3, "RGB": 3, "RGBA": 4, "RGBX": 4, "CMYK": 4, "YCbCr": 3, "LAB": 3}


@dataclass(frozen=True)
class Tag:
    """What a file says of its colour.

    Attributes
    ----------
    state : str
        ``tagged``, ``claimed``, ``untagged``, ``damaged`` or ``raw``.
    source : str
        ``icc``, ``cicp``, ``png-srgb``, ``png-gama``, ``exif``, ``dng`` or ``none``.
    description : str
        The profile's own words, or what the claim says.
    space : str or None
        Id of the built-in space that the profile equals or the claim names.
    """

    state: str
    source: str
    description: str = ""
    space: str | None = None


@dataclass(frozen=True)
class Inspection:
    """What a file is."""

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
    notes: tuple[str, ...] = field(default=())


def inspect(path: Path) -> Inspection:
    """Look at one file.

    Raises
    ------
    UnreadableFile
        When it is missing, empty, damaged, or neither a raw file nor a picture that Velkin reads.
    NotSupported
        For formats that this version does not inspect.
    """
    if path.is_dir():
        raise UnreadableFile("this is a folder", path)
    if is_raw_name(path):
        return _raw(path)
    try:
        if path.stat().st_size == 0:
            raise UnreadableFile("the file is empty", path)
        head = path.open("rb").read(16)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    if head[:2] == b"\xff\x0a" or head[4:8] == b"JXL ":
        raise NotSupported("JPEG XL is not inspected by this version", path)
    return _picture(path)


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
        notes=() if facts.colour is not None else ("the file names no colour matrix for this camera",),
    )


def _picture(path: Path) -> Inspection:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path) as picture:
                kind, mode, (width, height) = str(picture.format), picture.mode, picture.size
                icc = picture.info.get("icc_profile")
                sample_bits = picture.tag_v2.get(258, (8,)) if kind == "TIFF" else None  # type: ignore[attr-defined]
    except Image.DecompressionBombError as error:
        raise UnreadableFile("the picture says it is so large that it is refused", path) from error
    except UnidentifiedImageError as error:
        raise UnreadableFile("not a picture or raw file that Velkin can read", path) from error
    except (OSError, ValueError, SyntaxError, struct.error, KeyError, TypeError) as error:
        raise UnreadableFile(f"the picture is damaged ({error})", path) from error
    if kind not in _FORMATS:
        raise UnreadableFile(f"pictures of the format {kind} are not read", path)
    model = _MODELS.get(mode, "rgb")
    channels = _CHANNELS.get(mode, 1)
    bits = 16 if mode.startswith("I") else 32 if mode == "F" else 8
    notes: list[str] = []
    chunks = _png_chunks(path) if kind == "PNG" else {}
    if kind == "PNG" and "IHDR" in chunks:
        bits = max(chunks["IHDR"][8], 8)
    if sample_bits:
        bits = int(sample_bits[0] if isinstance(sample_bits, tuple) else sample_bits)
    exif = ExifFacts()
    try:
        exif = exif_facts(path)
    except VelkinError:
        notes.append("its metadata cannot be read")
    tag = _tag(icc if isinstance(icc, bytes) else None, model, chunks, exif, notes)
    return Inspection(
        path,
        "picture",
        _FORMATS[kind],
        width,
        height,
        channels,
        bits,
        model,
        tag,
        exif.make,
        exif.model,
        exif.unique_model,
        tuple(notes),
    )


def _tag(icc: bytes | None, model: str, chunks: dict[str, bytes], exif: ExifFacts, notes: list[str]) -> Tag:
    if "cICP" in chunks and len(chunks["cICP"]) >= 4:
        primaries, transfer = chunks["cICP"][0], chunks["cICP"][1]
        space = {(1, 13): "srgb", (12, 13): "p3", (9, 14): "bt2020", (9, 15): "bt2020"}.get((primaries, transfer))
        return Tag("tagged", "cicp", f"cICP primaries {primaries}, transfer {transfer}", space)
    if icc:
        tag = _icc_tag(icc, model)
        claim = _exif_claim(exif)
        if claim is not None and tag.state == "tagged" and claim.space != tag.space:
            notes.append(f"Exif says {claim.description}; the embedded profile wins")
        return tag
    if "sRGB" in chunks:
        return Tag("tagged", "png-srgb", "sRGB chunk", "srgb")
    if "gAMA" in chunks and "cHRM" in chunks and len(chunks["gAMA"]) >= 4:
        gamma = struct.unpack(">I", chunks["gAMA"][:4])[0] / 100000.0
        return Tag("claimed", "png-gama", f"gAMA {gamma:.5f} and cHRM")
    return _exif_claim(exif) or Tag("untagged", "none")


def _icc_tag(icc: bytes, model: str) -> Tag:
    try:
        profile = parse(icc)
        if profile.model != model:
            return Tag("damaged", "icc", f"{profile.description} (a profile for {profile.model} in a picture of {model})")
        space = recognise(icc) if model == "rgb" else None
        return Tag("tagged", "icc", profile.description, space.id if space else None)
    except BadProfile as error:
        return Tag("damaged", "icc", error.message)


def _exif_claim(exif: ExifFacts) -> Tag | None:
    if exif.colour_space == 1 or exif.interoperability == "R98":
        return Tag("claimed", "exif", "sRGB", "srgb")
    if exif.interoperability == "R03":
        return Tag("claimed", "exif", "opRGB (R03)", "oprgb")
    return None


def _png_chunks(path: Path) -> dict[str, bytes]:
    """The small chunks before the pixels, by name; big ones are passed over."""
    chunks: dict[str, bytes] = {}
    try:
        with path.open("rb") as stream:
            stream.seek(8)
            while len(head := stream.read(8)) == 8:
                length, name = struct.unpack(">I4s", head)
                if name in (b"IDAT", b"IEND"):
                    break
                if length <= 1024:
                    chunks.setdefault(name.decode("latin-1"), stream.read(length))
                    stream.seek(4, 1)
                else:
                    stream.seek(length + 4, 1)
    except OSError:
        return chunks
    return chunks
