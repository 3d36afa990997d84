"""TIFF (TIFF 6.0 with its technical notes, BigTIFF): read by tifffile, and by libtiff where a coding asks for it; written with metadata first.

Metadata lie before the pixels, so that a maker's note can lie where it lay in its source.
"""

from __future__ import annotations

import io
import struct
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from velkin.core.cores import cores_here
from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.files import kinds, tiff_fields
from velkin.core.files.coding import TIFF_COMPRESSIONS, Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import EXIF_IFD, ORIENTATION, SUB_IFDS, ExifTree, Value, agree_in, tree_of, written
from velkin.core.files.formats.base import ColourSaid, Extra, Format, Head, Samples, exif_parts, said_resolution, turned_by
from velkin.core.files.formats.jpeg import resource_parts
from velkin.core.files.formats.tiff_plain import half_size, plain_rows
from velkin.core.files.iim import DataSet, read_iim, written_iim
from velkin.core.files.image_resources import Resource, read_resources, written_resources
from velkin.core.files.limits import check_size
from velkin.core.files.metadata import DESCRIBING, GEO, STRUCTURAL, Metadata
from velkin.core.files.picture import Picture
from velkin.core.files.tiff_structure import Directory, Structure, is_tiff

_PALETTE, _YCBCR, _CIELAB, _ICCLAB, _LOGL, _LOGLUV = 3, 6, 8, 9, 32844, 32845
_MODELS = {0: "gray", 1: "gray", 2: "rgb", 3: "rgb", 5: "cmyk", 6: "rgb", 8: "lab", 9: "lab", _LOGLUV: "rgb", _LOGL: "gray"}
#: Codings that libtiff knows and tifffile does not, or gets wrong: bilevel (CCITT), old-style JPEG, ThunderScan, SGI's LogLuv.
_BY_LIBTIFF = frozenset((2, 3, 4, 6, 32766, 32771, 32809, 34676, 34677))
_JPEG = (6, 7)
#: So many times can a coding make its picture smaller; a directory that says more is damaged.
_DENSEST = {1: 1, 32773: 64, 5: 2048, 8: 1100, 32946: 1100, 7: 4096, 6: 4096}
_DENSEST_ELSE = 1 << 16
#: A picture of more bytes than this is written as BigTIFF.
_BIG = 0xF000_0000


class TIFF(Format):
    """TIFF: 8 and 16 bits and float, gray, RGB, CMYK and Lab, with transparent parts; read in many more codings."""

    kind = kinds.TIFF
    holds = frozenset((ExifTree, bytes, DataSet, Resource))
    retags = True
    icc_place = "tag 34675"

    def recognises(self, head: bytes) -> bool:
        return is_tiff(head)

    # ---- what it says

    def head(self, path: Path, page: int = 0) -> Head:
        with path.open("rb") as stream:
            structure = Structure(stream)
            found = pages_of(structure)
            d = _page(found, page, path)
            photometric = structure.number(d, tiff_fields.PHOTOMETRIC, 1)
            model = _MODELS.get(photometric, "rgb")
            samples = 3 if photometric == _PALETTE else structure.number(d, tiff_fields.SAMPLES, 1)
            colours = {"gray": 1, "cmyk": 4}.get(model, 3)
            entry = d.entries.get(tiff_fields.ICC)
            icc = structure.value(entry) if entry is not None and entry.type in (1, 7, 6, 2) else None
            damage = () if entry is None or icc else ("its embedded profile cannot be read",)
            tree = tree_of(structure, d)
            packet = structure.value(d.entries.get(tiff_fields.XMP))
            bits = structure.number(d, tiff_fields.BITS, 1)
            return Head(
                format=self.kind.id,
                width=structure.number(d, tiff_fields.WIDTH),
                height=structure.number(d, tiff_fields.HEIGHT),
                channels=samples + (photometric == _PALETTE and structure.number(d, tiff_fields.SAMPLES, 1) > 1),
                bits=32 if photometric in (_LOGL, _LOGLUV) else bits,
                model=model,
                alpha=samples > colours and _extra_of(structure, d) is not Extra.OTHER,
                pages=len(found),
                orientation=turned_by(tree, packet),
                colour=ColourSaid(icc or None, self.icc_place if icc else "", linear=photometric == _LOGLUV),
                exif=tree,
                resolution=said_resolution(tree, None),
                damage=damage,
            )

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        with path.open("rb") as stream:
            structure = Structure(stream)
            pages = pages_of(structure)
            d = _page(pages, page, path)
            found = directory_parts(structure, d)
            for other in structure.chain():
                if other.at != d.at:
                    found.append(other_directory(structure, other))
            for inner in inner_directories(structure, d):
                found.append(other_directory(structure, inner))
        return found

    # ---- the picture

    def decode(self, path: Path, page: int = 0) -> Samples:
        with path.open("rb") as stream:
            structure = Structure(stream)
            d = _page(pages_of(structure), page, path)
            _check_bytes(structure, d, path)
            photometric = structure.number(d, tiff_fields.PHOTOMETRIC, 1)
            compression = structure.number(d, tiff_fields.COMPRESSION, 1)
            bits = structure.number(d, tiff_fields.BITS, 1)
            planar = structure.number(d, tiff_fields.PLANAR, 1) == 2
            orientation = _orientation_of(structure, d)
            extra = _extra_of(structure, d)
            signed = structure.number(d, tiff_fields.FORMAT, 1) == 2
            table = np.array(structure.numbers(d.entries.get(tiff_fields.COLOUR_MAP), 1 << 18), dtype=np.uint16)
            place = next(i for i, c in enumerate(structure.chain()) if c.at == d.at)
        if photometric not in _MODELS:
            raise UnreadableFile(f"a TIFF of the photometric interpretation {photometric} is not read", path)
        by_libtiff = compression in _BY_LIBTIFF or (photometric == _YCBCR and compression not in _JPEG)
        numbers = _by_libtiff(path, place) if by_libtiff else _by_tifffile(path, place)
        if planar and numbers.ndim == 3:
            numbers = np.moveaxis(numbers, 0, -1)
        if photometric == _LOGLUV:
            return Samples(_rgb_of_luv(numbers), "rgb", orientation)
        if photometric == _PALETTE:
            return Samples(_coloured(numbers, table, bits, path), "rgb", orientation, extra)
        if photometric == 0:
            numbers = _inverted(numbers, bits)
        if photometric in (_CIELAB, _ICCLAB):
            return Samples(_lab(numbers, photometric), "lab", orientation, extra)
        return Samples(_full_range(numbers, bits, signed), _MODELS[photometric], orientation, extra)

    def decode_half(self, path: Path, page: int = 0) -> Samples | None:
        with path.open("rb") as stream:
            structure = Structure(stream)
            d = _page(pages_of(structure), page, path)
            _check_bytes(structure, d, path)
            rows, orientation = plain_rows(structure, d), _orientation_of(structure, d)
            model = _MODELS.get(structure.number(d, tiff_fields.PHOTOMETRIC, 1), "rgb")
        return None if rows is None else Samples(half_size(path, rows), model, orientation)

    # ---- writing

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        stream = io.BytesIO()
        _write(stream, picture, icc, metadata, coding)
        return stream.getvalue()

    def write(self, out: Path, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> None:
        with out.open("w+b") as stream:
            _write(stream, picture, icc, metadata, coding)

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        """The profile is put at the end, with a new directory of the picture that points to it; nothing else moves."""
        structure = Structure(data)
        order, big = structure.order, structure.big
        count_of, form, pointer = ("Q", "HHQQ", "Q") if big else ("H", "HHII", "I")
        pages = pages_of(structure)
        if page >= len(pages):
            raise ValueError("the picture asked for is not in it")
        d = pages[page]
        rows = _rows(structure, d)
        out = bytearray(data)
        if EXIF_IFD in d.entries:
            agree_in(out, structure, structure.number(d, EXIF_IFD), family)
        out += b"\0" * (-len(out) % 16)
        icc_at = len(out)
        out += icc + b"\0" * (-len(icc) % 16)
        rows[tiff_fields.ICC] = struct.pack(order + form, tiff_fields.ICC, 7, len(icc), icc_at)
        directory_at = len(out)
        out += struct.pack(order + count_of, len(rows)) + b"".join(rows[t] for t in sorted(rows))
        out += struct.pack(order + pointer, d.following)
        if not big and len(out) >= 1 << 32:
            raise NotSupported("the TIFF would become larger than 4 GB")
        struct.pack_into(order + pointer, out, _pointer_to(structure, d), directory_at)
        return bytes(out)


# ---- directories --------------------------------------------------------------------------------------------------


def pages_of(structure: Structure) -> list[Directory]:
    """The directories of full-size pictures: smaller copies and masks of others are passed over, unless there is nothing else."""
    chain = [d for d in structure.chain() if tiff_fields.WIDTH in d.entries]
    return [d for d in chain if not structure.number(d, tiff_fields.SUBFILE) & 5] or chain[:1]


def _page(pages: list[Directory], page: int, path: Path) -> Directory:
    if not pages:
        raise ValueError("no directory of a picture is in it")
    if not 0 <= page < len(pages):
        raise UnreadableFile(f"it holds {len(pages)} pictures, and number {page + 1} was asked for", path)
    found = pages[page].entries
    if found[tiff_fields.WIDTH].count != 1 or tiff_fields.HEIGHT not in found or found[tiff_fields.HEIGHT].count != 1:
        raise ValueError("its width or height is no number")
    return pages[page]


def inner_directories(structure: Structure, d: Directory) -> list[Directory]:
    """The directories that a directory holds within it; one that leads back is not followed."""
    found = []
    for at in structure.numbers(d.entries.get(SUB_IFDS), 64):
        found += [i for i in structure.chain(int(at)) if i.at != d.at][:64]
    return found


def _rows(structure: Structure, d: Directory) -> dict[int, bytes]:
    """The rows of a directory as they stand, by tag."""
    size = 20 if structure.big else 12
    data = structure.rows(d)
    found: dict[int, bytes] = {}
    for at in range(0, len(data), size):
        found.setdefault(struct.unpack_from(structure.order + "H", data, at)[0], data[at : at + size])
    return found


def _pointer_to(structure: Structure, d: Directory) -> int:
    """Where the number stands that leads to a directory."""
    before = 8 if structure.big else 4
    for other in structure.chain():
        if other.at == d.at:
            break
        before = other.end
    return before


def _extra_of(structure: Structure, d: Directory) -> Extra:
    found = structure.numbers(d.entries.get(tiff_fields.EXTRA), 1)
    return Extra(int(found[0])) if found and int(found[0]) in (1, 2) else Extra.OTHER


def directory_parts(structure: Structure, d: Directory) -> list[Part]:
    """What a directory holds beside its pixels, with Exif and what it leads to."""
    found: list[Part] = []
    if tiff_fields.ICC in d.entries:
        found.append(Part("embedded profile", PartKind.PROFILE, d.entries[tiff_fields.ICC].bytes))
    whole = tree_of(structure, d)
    image = {t: v for t, v in whole.image.items() if t not in STRUCTURAL}
    tree = replace(whole, image={t: v for t, v in image.items() if t in DESCRIBING | GEO}, thumbnail=0)
    length = sum(len(v.data) for group in (tree.image, tree.photo, tree.gps) for v in group.values())
    found += exif_parts(tree, length)
    packet = structure.value(d.entries.get(tiff_fields.XMP))
    if packet:
        found.append(Part("XMP", PartKind.METADATA, len(packet), packet))
    sets = tuple(read_iim(structure.value(d.entries.get(tiff_fields.IPTC))))
    if sets:
        found.append(Part("IPTC", PartKind.METADATA, d.entries[tiff_fields.IPTC].bytes, sets))
    resources = read_resources(structure.value(d.entries.get(tiff_fields.RESOURCES)))
    found += [p for p in resource_parts(resources) if not (sets and p.name == "IPTC")]
    if tiff_fields.LAYERS in d.entries:
        found.append(Part("layers of another program", PartKind.LAYERS, d.entries[tiff_fields.LAYERS].bytes))
    return found + [Part(f"tag {t}", PartKind.OTHER, len(v.data)) for t, v in image.items() if t not in DESCRIBING | GEO]


def other_directory(structure: Structure, d: Directory) -> Part:
    """Another picture of the file as a part."""
    length = int(
        sum(structure.numbers(d.entries.get(tiff_fields.STRIP_BYTES)))
        or sum(structure.numbers(d.entries.get(tiff_fields.TILE_BYTES)))
    )
    length += structure.number(d, tiff_fields.JPEG_BYTES)
    kind = structure.number(d, tiff_fields.SUBFILE)
    if kind & 4:
        return Part("mask", PartKind.AUXILIARY, length)
    if kind & 1 or tiff_fields.JPEG_AT in d.entries:
        return Part("preview", PartKind.PREVIEW, length)
    return Part("another picture", PartKind.PICTURE, length)


def _check_bytes(structure: Structure, d: Directory, path: Path) -> None:
    """Stop for a picture that says it is larger than its bytes can be."""
    width, height = structure.number(d, tiff_fields.WIDTH), structure.number(d, tiff_fields.HEIGHT)
    check_size(width, height, path)
    bits, samples = structure.number(d, tiff_fields.BITS, 1), structure.number(d, tiff_fields.SAMPLES, 1)
    lengths = structure.numbers(d.entries.get(tiff_fields.STRIP_BYTES) or d.entries.get(tiff_fields.TILE_BYTES), 1 << 20)
    there = min(sum(lengths), structure.size) if lengths else structure.size
    densest = _DENSEST.get(structure.number(d, tiff_fields.COMPRESSION, 1), _DENSEST_ELSE)
    if samples > 64 or width * height * samples * bits / 8 > densest * there * 2 + 65536:
        raise UnreadableFile(f"the picture says it has {width} × {height} pixels, and holds bytes for far fewer", path)


def _orientation_of(structure: Structure, d: Directory) -> int:
    return turned_by(tree_of(structure, d), structure.value(d.entries.get(tiff_fields.XMP)))


# ---- samples ------------------------------------------------------------------------------------------------------


@lru_cache(maxsize=1)
def _tifffile() -> Any:
    """The library, loaded on first use and told to be quiet: what there is to say of a file is said here."""
    import logging

    import tifffile

    logging.getLogger("tifffile").setLevel(logging.CRITICAL)
    return tifffile


def _by_tifffile(path: Path, place: int) -> NDArray[Any]:
    try:
        with _tifffile().TiffFile(path) as tif:
            page = tif.pages[place]
            return np.asarray(page.asarray())
    except Exception as error:
        try:  # libtiff forgives more
            return _by_libtiff(path, place)
        except Exception:
            raise error from None


def _by_libtiff(path: Path, place: int) -> NDArray[Any]:
    import imagecodecs

    return np.asarray(imagecodecs.tiff_decode(path.read_bytes(), index=place))


def _inverted(numbers: NDArray[Any], bits: int) -> NDArray[Any]:
    """Samples of which 0 is white."""
    if numbers.dtype == np.bool_:
        return ~numbers
    if numbers.dtype.kind == "u":
        return np.asarray(((1 << bits) - 1) - numbers, dtype=numbers.dtype)
    if numbers.dtype.kind == "i":
        return np.asarray(-1 - numbers, dtype=numbers.dtype)
    return np.asarray(1 - numbers)


def _full_range(numbers: NDArray[Any], bits: int, signed: bool) -> NDArray[Any]:
    """Integers over the whole range of their dtype: those of odd bits scaled, signed ones moved up by half (TIFF 6.0, SampleFormat)."""
    kind = numbers.dtype
    if kind.kind == "i" or (signed and kind.kind == "u"):
        wide = {1: np.uint8, 2: np.uint16, 4: np.uint32, 8: np.uint64}[kind.itemsize]
        numbers = numbers.view(wide) ^ wide(1 << (8 * kind.itemsize - 1))
        kind = numbers.dtype
    if kind.kind != "u" or bits in (8, 16, 32, 64):
        return numbers
    whole = (1 << (8 * kind.itemsize)) - 1
    top = (1 << bits) - 1
    if kind.itemsize <= 2:
        return ((numbers.astype(np.uint32) * whole + top // 2) // top).astype(kind)
    return np.round(numbers.astype(np.float64) * (whole / top)).astype(kind)


def _coloured(numbers: NDArray[Any], table: NDArray[np.uint16], bits: int, path: Path) -> NDArray[Any]:
    """The colours of a palette: 8 bits where its numbers have no more, for some writers fill 16 bits with 8."""
    if len(table) < 3 or len(table) % 3:
        raise UnreadableFile("its palette is damaged", path)
    colours = np.moveaxis(table.reshape(3, -1), 0, -1)
    alpha = None
    if numbers.ndim == 3:
        alpha = numbers[..., 1] if numbers.shape[2] > 1 else None
        numbers = numbers[..., 0]
    found = colours[np.minimum(numbers.astype(np.intp), len(colours) - 1)]
    if colours.max(initial=0) < 256:
        found = found.astype(np.uint8)
    elif not np.any((colours >> 8) - (colours & 0xFF)):
        found = (found >> 8).astype(np.uint8)
    if alpha is None:
        return found
    wide = alpha.astype(np.uint16) * 257 if found.dtype == np.uint16 and alpha.dtype == np.uint8 else alpha
    return np.dstack([found, wide.astype(found.dtype)])


def _lab(numbers: NDArray[Any], photometric: int) -> NDArray[Any]:
    """Lab samples of TIFF (CIELab 8: a and b signed; ICCLab 9: shifted) in Velkin's encoding."""
    if numbers.dtype == np.uint8:
        if photometric == _ICCLAB:
            return numbers
        out = numbers.copy()
        out[..., 1:3] = (numbers[..., 1:3].astype(np.int16) ^ 0x80) & 0xFF
        return out
    if numbers.dtype != np.uint16:
        raise ValueError("Lab of other than 8 or 16 bits")
    out32 = np.empty(numbers.shape, dtype=np.float32)
    values = numbers.astype(np.float32)
    if photometric == _ICCLAB:
        out32[..., 0] = values[..., 0] / np.float32(65280.0)
        out32[..., 1:] = values[..., 1:] / np.float32(256.0 * 255.0)
    else:
        out32[..., 0] = values[..., 0] / np.float32(65535.0)
        out32[..., 1:] = (numbers[..., 1:].astype(np.int16).astype(np.float32) / 256.0 + 128.0) / np.float32(255.0)
    return out32


#: XYZ to linear light of ITU-R BT.709 primaries with an equal-energy white, as libtiff shows LogLuv (tif_luv.c, XYZtoRGB24).
_XYZ_TO_RGB = np.array([[2.690, -1.276, -0.414], [-1.022, 1.978, 0.044], [0.061, -0.224, 1.163]], dtype=np.float32)


def _rgb_of_luv(xyz: NDArray[Any]) -> NDArray[np.float32]:
    if xyz.ndim != 3 or xyz.shape[2] != 3:
        raise ValueError("LogLuv of another number of samples")
    return np.asarray(xyz.astype(np.float32) @ _XYZ_TO_RGB.T, dtype=np.float32)


# ---- writing ------------------------------------------------------------------------------------------------------


def _write(stream: BinaryIO, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> None:
    """Metadata as a structure at the beginning, then the picture behind it, then one directory of both."""
    samples: NDArray[Any] = picture.numbers
    if picture.model == "lab":  # the encoding of photometric ICCLab in 8 bits, of CIELab in 16
        samples = _tiff_lab(samples)
    if picture.alpha is not None:
        samples = np.dstack([samples, picture.alpha])
    stream.write(written(_with_blocks(metadata, icc), big=samples.nbytes > _BIG))
    stream.seek(0)
    with _tifffile().TiffWriter(stream, append="force") as writer:
        writer.write(samples[..., 0] if samples.shape[2] == 1 else samples, **_options(picture, samples, coding))
    _join(stream)


def _with_blocks(metadata: Metadata, icc: bytes | None) -> ExifTree:
    """Exif with the blocks that TIFF keeps under tags of its primary directory."""
    tree = metadata.exif or ExifTree()
    image = {ORIENTATION: tree.short(1), **tree.image}
    if icc is not None:
        image[tiff_fields.ICC] = Value(7, len(icc), icc)
    if metadata.xmp:
        image[tiff_fields.XMP] = Value(1, len(metadata.xmp), metadata.xmp)
    block = written_iim(metadata.iptc)
    if block:
        image[tiff_fields.IPTC] = Value(7, len(block), block)
    resources = written_resources(metadata.resources)
    if resources:
        image[tiff_fields.RESOURCES] = Value(1, len(resources), resources)
    return replace(tree, image=image)


def _options(picture: Picture, samples: NDArray[Any], coding: Coding) -> dict[str, Any]:
    compression = TIFF_COMPRESSIONS[coding.compression]
    options: dict[str, Any] = {
        "photometric": {"rgb": "rgb", "gray": "minisblack", "cmyk": "separated", "lab": "icclab"}[picture.model],
        "planarconfig": "contig" if samples.shape[2] > 1 else None,
        "extrasamples": ["unassalpha" if picture.clear else "unspecified"] if picture.alpha is not None else None,
        "metadata": None,
        "software": "Velkin",
    }
    if compression is not None:
        threads = min(2, cores_here())
        options |= {
            "compression": compression,
            "predictor": samples.dtype.kind != "f",
            "rowsperstrip": 64,
            "maxworkers": threads,
        }
    if (
        compression == "adobe_deflate"
    ):  # photographs in 16 bits come out no larger with more effort, and take half as long again
        options["compressionargs"] = {"level": 1}
    return options


def _join(stream: BinaryIO) -> None:
    """One directory of the two that a file has: what the first says of the picture in the second, and how that lies."""
    structure = Structure(stream)
    said, lies = list(structure.chain())[:2]
    rows = {**_rows(structure, lies), **_rows(structure, said)}
    row_count, pointer = ("Q", "Q") if structure.big else ("H", "I")
    at = stream.seek(0, 2)
    at += -at % 16
    stream.seek(at)
    stream.write(struct.pack(structure.order + row_count, len(rows)) + b"".join(rows[t] for t in sorted(rows)))
    stream.write(struct.pack(structure.order + pointer, 0))
    stream.seek(8 if structure.big else 4)
    stream.write(struct.pack(structure.order + pointer, at))
    stream.flush()


def _tiff_lab(samples: NDArray[Any]) -> NDArray[Any]:
    if samples.dtype == np.uint8:
        return samples
    scale = np.array([65280.0, 255.0 * 256.0, 255.0 * 256.0])
    full = 65535.0 if samples.dtype == np.uint16 else 1.0
    return np.clip(np.round(samples / full * scale), 0, 65535).astype(np.uint16)
