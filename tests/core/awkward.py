"""Legal but awkward files, put together byte by byte from the standards' texts, for the readers to be tried on."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from PIL import Image

from velkin.core.files.exif_block import ExifTree, Value, written
from velkin.core.files.formats.png import chunk
from velkin.core.files.image_resources import JPEG_MARK
from velkin.core.files.jpeg_structure import EXIF_MARK, XMP_MARK

RGB = (np.random.default_rng(3).random((24, 36, 3)) * 40 + np.linspace(40, 200, 36)[None, :, None]).astype(np.uint8)
XMP = (
    b'<?xpacket begin="\xef\xbb\xbf" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF '
    b'xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
    b'xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:madder="http://madderfold.example/1/" madder:vat="7">'
    b"<dc:subject><rdf:Bag><rdf:li>wool</rdf:li></rdf:Bag></dc:subject></rdf:Description></rdf:RDF></x:xmpmeta>"
    b'<?xpacket end="w"?>'
)


def coded(pixels: np.ndarray = RGB, **options: Any) -> bytes:
    """A plain JPEG."""
    stream = io.BytesIO()
    Image.fromarray(pixels).save(stream, "JPEG", quality=95, subsampling=0, **options)
    return stream.getvalue()


def segment(marker: int, payload: bytes) -> bytes:
    """A JPEG segment."""
    return struct.pack(">BBH", 0xFF, marker, len(payload) + 2) + payload


def with_segments(data: bytes, *segments: bytes) -> bytes:
    """A JPEG with segments behind its start."""
    return data[:2] + b"".join(segments) + data[2:]


def text(value: str) -> Value:
    """An ASCII value."""
    data = value.encode() + b"\0"
    return Value(2, len(data), data)


def noted(order: str = "<", *, at: int = 700, length: int = 90) -> tuple[ExifTree, bytes]:
    """Exif with a note of a maker that nobody knows, at a place of its own; in it an offset from the beginning of all of it."""
    note = b"MADDERFOLD\0\0" + struct.pack(order + "HHIIII", 1, 7, 5, 2, at + 40, 0)
    note = note.ljust(40, b"\0") + b"inside".ljust(length - 40, b"\x55")
    tree = ExifTree(
        order,
        {271: text("Madderfold"), 272: text("Vat One"), 269: text("skein sheet"), 305: text("vat firmware 2")},
        {37500: Value(7, len(note), note), 33434: Value(5, 1, struct.pack(order + "II", 1, 60)), 42036: text("60 mm")},
        {1: text("N"), 2: Value(5, 3, struct.pack(order + "6I", 50, 1, 30, 1, 0, 1))},
        maker_at=at,
    )
    return tree, note


def everything(order: str = "<") -> bytes:
    """A JPEG that says all that JPEGs can: Exif with a maker's note, XMP, IPTC, a path, a comment, a resolution."""
    tree, _ = noted(order)
    image = {
        **tree.image,
        282: Value(5, 1, struct.pack(order + "II", 300, 1)),
        283: Value(5, 1, struct.pack(order + "II", 300, 1)),
    }
    image[296] = Value(3, 1, struct.pack(order + "H", 2))
    block = written(ExifTree(order, image, tree.photo, tree.gps, maker_at=tree.maker_at))
    return with_segments(
        coded(),
        segment(0xE1, EXIF_MARK + block),
        segment(0xE1, XMP_MARK + XMP),
        segment(
            0xED, JPEG_MARK + resource(1028, iptc()) + resource(2000, path_resource(), b"skein") + resource(2999, b"\5skein")
        ),
        segment(0xFE, b"third dip"),
    )


def iptc() -> bytes:
    """IPTC with a caption, a byline, a place, and a time with its zone."""
    sets = (
        (1, 90, b"\x1b%G"),
        (2, 120, "Krapp, getrocknet ä".encode()),
        (2, 80, b"M. Fold"),
        (2, 90, b"Quill Lane"),
        (2, 60, b"101500+0200"),
    )
    return b"".join(bytes((0x1C, record, number)) + struct.pack(">H", len(data)) + data for record, number, data in sets)


def resource(number: int, data: bytes, name: bytes = b"") -> bytes:
    """An image resource block."""
    named = bytes((len(name),)) + name
    named += b"\0" * (len(named) % 2)
    return b"8BIM" + struct.pack(">H", number) + named + struct.pack(">I", len(data)) + data + b"\0" * (len(data) % 2)


def path_resource(points: tuple[tuple[float, float], ...] = ((0.25, 0.5), (0.75, 0.5))) -> bytes:
    """A path resource with knots at points (x, y)."""
    out = struct.pack(">HH", 6, 0).ljust(26, b"\0") + struct.pack(">HH", 0, len(points)).ljust(26, b"\0")
    for x, y in points:
        cells = [round(v * (1 << 24)) for v in (y, x)] * 3
        out += struct.pack(">H6i", 1, *cells)
    return out


def several(first: bytes, *others: bytes, attributes: tuple[int, ...] = (), order: str = ">") -> bytes:
    """A JPEG with an index of several pictures (CIPA DC-007), which lies before everything else but JFIF."""
    kinds = attributes or (0x020002,) * len(others)
    count = 1 + len(others)
    head = (b"MM\0*" if order == ">" else b"II*\0") + struct.pack(order + "I", 8)
    ifd = struct.pack(order + "H", 3)
    ifd += struct.pack(order + "HHI4s", 0xB000, 7, 4, b"0100") + struct.pack(order + "HHII", 0xB001, 4, 1, count)
    ifd += struct.pack(order + "HHII", 0xB002, 7, 16 * count, 8 + 2 + 36 + 4) + struct.pack(order + "I", 0)
    size = len(b"MPF\0" + head + ifd) + 16 * count
    whole = len(first) + 4 + size
    at_header = 2 + 4 + 4
    rows, at = struct.pack(order + "IIIHH", 0x030000, whole, 0, 0, 0), whole
    for kind, data in zip(kinds, others, strict=True):
        rows += struct.pack(order + "IIIHH", kind, len(data), at - at_header, 0, 0)
        at += len(data)
    return with_segments(first, segment(0xE2, b"MPF\0" + head + ifd + rows)) + b"".join(others)


def tiff(
    rows: list[tuple[int, int, int, bytes]], pixels: bytes, order: str = "<", following: int = 0, sub: bytes = b""
) -> bytes:
    """A TIFF of one directory: entries as (tag, type, count, bytes), strip offset and length added."""
    directory_at = 8
    size = 2 + 12 * (len(rows) + 2) + 4
    out = (b"II*\0" if order == "<" else b"MM\0*") + struct.pack(order + "I", directory_at)
    values, cells = b"", []
    base = directory_at + size
    for tag, kind, count, data in rows:
        if len(data) <= 4:
            cells.append((tag, kind, count, data.ljust(4, b"\0")))
        else:
            cells.append((tag, kind, count, struct.pack(order + "I", base + len(values))))
            values += data + b"\0" * (len(data) % 2)
    cells.append((273, 4, 1, struct.pack(order + "I", base + len(values))))
    cells.append((279, 4, 1, struct.pack(order + "I", len(pixels))))
    out += struct.pack(order + "H", len(cells))
    out += b"".join(struct.pack(order + "HHI", t, k, c) + v for t, k, c, v in sorted(cells))
    return out + struct.pack(order + "I", following) + values + pixels + sub


def short(value: int, order: str = "<") -> bytes:
    """A SHORT."""
    return struct.pack(order + "H", value)


def packed(samples: np.ndarray, bits: int) -> bytes:
    """Samples (H, n) of so many bits, packed from the highest bit, each row to a whole byte (TIFF 6.0, BitsPerSample)."""
    out = b""
    for row in samples:
        word = "".join(format(int(v), f"0{bits}b") for v in row)
        word += "0" * (-len(word) % 8)
        out += int(word, 2).to_bytes(len(word) // 8, "big")
    return out


def plain_tiff(samples: np.ndarray, bits: int, photometric: int, more: tuple[tuple[int, int, int, bytes], ...] = ()) -> bytes:
    """An uncompressed TIFF of one sample a pixel, of any bits."""
    height, width = samples.shape
    rows = [
        (256, 3, 1, short(width)), (257, 3, 1, short(height)), (258, 3, 1, short(bits)), (259, 3, 1, short(1)),
        (262, 3, 1, short(photometric)), (277, 3, 1, short(1)), (278, 3, 1, short(height)), *more,
    ]  # fmt: skip
    return tiff(rows, packed(samples, bits))


def png(pixels: np.ndarray, *chunks: bytes) -> bytes:
    """A PNG with chunks behind its header."""
    import imagecodecs

    data = bytes(imagecodecs.png_encode(pixels))
    return data[:33] + b"".join(chunks) + data[33:]


def physical(per_metre: int) -> bytes:
    """A pHYs chunk."""
    return chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))


def save(path: Path, data: bytes) -> Path:
    """Written, and its path."""
    path.write_bytes(data)
    return path


def openraster(path: Path, stack: str, *, size: tuple[int, int] = (36, 24), packed: bool = False, **parts: Any) -> Path:
    """An OpenRaster file: what stands between its ``<stack>`` and ``</stack>``, and its parts, ``data/NAME.png``.

    A part is an array, which becomes a PNG, or bytes as they are; that called ``merged`` is the merged picture.
    """
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
        image = f'<image version="0.0.5" w="{size[0]}" h="{size[1]}"><stack>{stack}</stack></image>'
        archive.writestr("stack.xml", image, zipfile.ZIP_DEFLATED)
        for name, part in parts.items():
            inside = "mergedimage.png" if name == "merged" else f"data/{name}.png"
            data = part if isinstance(part, bytes) else bytes(imagecodecs.png_encode(part))
            archive.writestr(inside, data, zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED)
    return path


def filtered_png(pixels: np.ndarray, kinds: list[int]) -> bytes:
    """A PNG (h, w, n) of 8 or 16 bits whose rows are filtered in the given ways, over and over (W3C PNG, section 9)."""
    height, width, channels = pixels.shape
    step = channels * pixels.dtype.itemsize
    rows = pixels.astype(pixels.dtype.newbyteorder(">")).reshape(height, -1).view(np.uint8).astype(int)
    above = np.zeros_like(rows[0])
    out = b""
    for i, row in enumerate(rows):
        left, corner = (np.concatenate([np.zeros(step, int), line[:-step]]) for line in (row, above))
        p = left + above - corner
        a, b, c = np.abs(p - left), np.abs(p - above), np.abs(p - corner)
        paeth = np.where((a <= b) & (a <= c), left, np.where(b <= c, above, corner))
        kind = kinds[i % len(kinds)]
        guess = (np.zeros_like(row), left, above, (left + above) // 2, paeth)[kind]
        out += bytes([kind]) + ((row - guess) & 255).astype(np.uint8).tobytes()
        above = row
    packed_rows = zlib.compress(out)
    half = len(packed_rows) // 2
    colour = {1: 0, 2: 4, 3: 2, 4: 6}[channels]
    header = struct.pack(">IIBBBBB", width, height, 8 * pixels.dtype.itemsize, colour, 0, 0, 0)
    parts = [(b"IHDR", header), (b"IDAT", packed_rows[:half]), (b"IDAT", b""), (b"IDAT", packed_rows[half:]), (b"IEND", b"")]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunk(name, body) for name, body in parts)
