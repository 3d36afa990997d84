"""JPEG (ITU-T T.81), with JFIF (T.871), Exif, ICC profiles in segments (ICC.1:2022 annex B.4), XMP part 3, and several pictures (CIPA DC-007)."""

from __future__ import annotations

import hashlib
import re
import struct
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.files import kinds, xmp
from velkin.core.files.coding import SUBSAMPLINGS, Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ExifTree, agreeing, read_block, written
from velkin.core.files.formats.base import ColourSaid, Format, Head, Samples, exif_parts, said_resolution, turned_by
from velkin.core.files.iim import DataSet, read_iim, written_iim
from velkin.core.files.image_resources import IPTC, JPEG_MARK, Resource, read_resources, written_resources
from velkin.core.files.jpeg_structure import (
    APP1,
    EXIF_MARK,
    FRAMES,
    ICC_MARK,
    LONGEST,
    SOI,
    XMP_MARK,
    Segment,
    is_jpeg,
    segments_of,
)
from velkin.core.files.metadata import Metadata, Resolution, Text
from velkin.core.files.picture import Picture
from velkin.core.files.tiff_structure import NoTIFF, Structure

_EOI = b"\xff\xd9"
_APP0, _APP2, APP13, APP14, _COM = 0xE0, 0xE2, 0xED, 0xEE, 0xFE
_XMP_MORE_MARK = b"http://ns.adobe.com/xmp/extension/\0"
_MPF_MARK = b"MPF\0"
_GAIN_MARK = b"urn:iso:std:iso:ts:21496:-1\0"
_MODELS = {1: "gray", 3: "rgb", 4: "cmyk"}
_GAIN_WORDS = re.compile(rb"hdr-gain-map|HDRGainMap")
_DEPTH_WORDS = re.compile(rb"GDepth|/depthmap/|Semantic=\"Depth\"")


@dataclass(frozen=True)
class Inner:
    """One of the pictures that a multi-picture index names: kind by its attribute, place, length."""

    kind: PartKind
    at: int
    bytes: int


def _segment(marker: int, payload: bytes) -> bytes:
    if len(payload) > LONGEST:
        raise NotSupported("a part is too large for a JPEG")
    return struct.pack(">BBH", 0xFF, marker, len(payload) + 2) + payload


def icc_segments(icc: bytes) -> bytes:
    """A profile as APP2 segments. Raises NotSupported when it is too large."""
    size = LONGEST - len(ICC_MARK) - 2
    parts = [icc[i : i + size] for i in range(0, len(icc), size)]
    if len(parts) > 255:
        raise NotSupported("the profile is too large for a JPEG")
    return b"".join(
        _segment(_APP2, ICC_MARK + bytes((number, len(parts))) + part) for number, part in enumerate(parts, start=1)
    )


@dataclass(frozen=True)
class _Said:
    """What the segments say: profile and what is wrong with it, Exif block and tree, XMP, image resources, JFIF's resolution, the frame."""

    icc: bytes | None
    damage: tuple[str, ...]
    block: bytes
    tree: ExifTree
    packet: bytes
    extended: int
    resources: bytes
    jfif: Resolution | None
    frame: tuple[int, int, int, int] | None


def _said(segments: list[Segment]) -> _Said:
    damage: list[str] = []
    block = packet = resources = b""
    tree, jfif, frame = ExifTree(), None, None
    for s in segments:
        m, p = s.marker, s.payload
        if m == APP1 and p.startswith(EXIF_MARK) and not block:
            block = p[len(EXIF_MARK) :]
            try:
                tree = read_block(block)
            except (NoTIFF, struct.error):
                damage.append("its Exif cannot be read")
        elif m == APP1 and p.startswith(XMP_MARK) and not packet:
            packet = p[len(XMP_MARK) :]
        elif m == APP13 and p.startswith(JPEG_MARK):
            resources += p[len(JPEG_MARK) :]
        elif m == _APP0 and p[:5] == b"JFIF\0" and len(p) >= 12:
            unit, x, y = struct.unpack_from(">BHH", p, 7)
            jfif = Resolution.of(x, y, {1: 1.0, 2: 1 / 2.54}[unit]) if unit in (1, 2) else None
        elif m in FRAMES and len(p) >= 6 and frame is None:
            frame = (*struct.unpack_from(">HH", p, 1)[::-1], p[0], p[5])
    icc, wrong = _profile(segments)
    extended = sum(len(s.payload) for s in segments if s.marker == APP1 and s.payload.startswith(_XMP_MORE_MARK))
    if extended:
        packet = _whole_packet(packet, segments)
    return _Said(icc, (*damage, *wrong), block, tree, packet, extended, resources, jfif, frame)


def _profile(segments: list[Segment]) -> tuple[bytes | None, list[str]]:
    parts: dict[int, bytes] = {}
    wanted: set[int] = set()
    damage: list[str] = []
    for s in segments:
        if s.marker == _APP2 and s.payload.startswith(ICC_MARK) and len(s.payload) >= 14:
            number, count = s.payload[12], s.payload[13]
            wanted.add(count)
            if number in parts:
                damage.append(f"segment {number} of the embedded profile is there twice")
            parts.setdefault(number, s.payload[14:])
    if not parts:
        return None, damage
    count = max(wanted)
    missing = [n for n in range(1, count + 1) if n not in parts]
    if len(wanted) > 1 or missing or 0 in parts:
        damage.append(f"{len(missing) or 'some'} of {count} segments of the embedded profile are missing or misnumbered")
    return b"".join(parts[n] for n in sorted(parts)), damage


def _whole_packet(packet: bytes, segments: list[Segment]) -> bytes:
    """The packet with what lies in extension segments: each names the whole by its digest, its length, and where it belongs."""
    pieces: dict[bytes, dict[int, bytes]] = {}
    for s in segments:
        if s.marker == APP1 and s.payload.startswith(_XMP_MORE_MARK) and len(s.payload) >= len(_XMP_MORE_MARK) + 40:
            rest = s.payload[len(_XMP_MORE_MARK) :]
            pieces.setdefault(rest[:32], {})[struct.unpack_from(">I", rest, 36)[0]] = rest[40:]
    for digest, found in pieces.items():
        if digest in packet or len(pieces) == 1:
            return xmp.joined(packet, b"".join(found[at] for at in sorted(found)))
    return packet


def _inner_pictures(segments: list[Segment], size: int) -> list[Inner]:
    """Pictures that a multi-picture index names beside the first (CIPA DC-007, 5.2)."""
    index = next((s for s in segments if s.marker == _APP2 and s.payload.startswith(_MPF_MARK)), None)
    if index is None:
        return []
    header = index.at + 4 + len(_MPF_MARK)
    found: list[Inner] = []
    for attribute, length, offset, _ in _mpf_rows(index.payload[len(_MPF_MARK) :])[1]:
        if offset == 0 or header + offset + length > size:
            continue
        kind = {0x010001: PartKind.PREVIEW, 0x010002: PartKind.PREVIEW, 0x000000: PartKind.AUXILIARY}
        found.append(Inner(kind.get(attribute & 0xFFFFFF, PartKind.PICTURE), header + offset, length))
    return found


def _mpf_rows(structure_bytes: bytes) -> tuple[int, list[tuple[int, int, int, int]]]:
    """Where the entries of an index lie in it, and each: attribute, length, offset, its own place."""
    try:
        structure = Structure(structure_bytes)
        entry = structure.directory(structure.first).entries.get(0xB002)
    except (NoTIFF, struct.error):
        return 0, []
    if entry is None:
        return 0, []
    table = structure.value(entry)
    rows = [(*struct.unpack_from(structure.order + "III", table, i), entry.at + i) for i in range(0, len(table) // 16 * 16, 16)]
    return entry.at, rows


class JPEG(Format):
    """JPEG, 8 bits, gray, RGB or CMYK."""

    kind = kinds.JPEG
    holds = frozenset((ExifTree, bytes, DataSet, Resource, Text))
    keywords = frozenset(("Comment",))
    retags = True
    most_exif = LONGEST - len(EXIF_MARK)
    icc_place = "APP2"

    def recognises(self, head: bytes) -> bool:
        return is_jpeg(head)

    def head(self, path: Path, page: int = 0) -> Head:
        with path.open("rb") as stream:
            segments, _ = segments_of(stream)
            size = stream.seek(0, 2)
            pictures = [i for i in self._told(stream, segments, size) if i.kind is PartKind.PICTURE]
            if page:
                if page > len(pictures):
                    raise UnreadableFile(f"it holds {1 + len(pictures)} pictures, and number {page + 1} was asked for", path)
                stream.seek(pictures[page - 1].at)
                segments, _ = segments_of(stream)
        said = _said(segments)
        if said.frame is None:
            raise ValueError("no frame of a picture is in it")
        width, height, bits, channels = said.frame
        return Head(
            format=self.kind.id,
            width=width,
            height=height,
            channels=channels,
            bits=bits,
            model=_MODELS.get(channels, "rgb"),
            pages=1 + len(pictures),
            orientation=turned_by(said.tree, said.packet),
            colour=ColourSaid(said.icc, self.icc_place if said.icc is not None else ""),
            exif=said.tree,
            resolution=said_resolution(said.tree, said.jfif),
            damage=said.damage,
        )

    def _told(self, stream: BinaryIO, segments: list[Segment], size: int) -> list[Inner]:
        """The pictures of an index, each looked into: gain maps and depth maps say so themselves."""
        found = []
        for inner in _inner_pictures(segments, size):
            stream.seek(inner.at)
            try:
                own, _ = segments_of(stream)
            except ValueError:
                continue
            kind = inner.kind
            for s in own:
                if s.payload.startswith(_GAIN_MARK) or (s.marker == APP1 and _GAIN_WORDS.search(s.payload)):
                    kind = PartKind.GAIN_MAP
                elif s.marker == APP1 and _DEPTH_WORDS.search(s.payload):
                    kind = PartKind.AUXILIARY
            found.append(Inner(kind, inner.at, inner.bytes))
        return found

    def decode(self, path: Path, page: int = 0) -> Samples:
        from PIL import Image

        head = self.head(path, page)
        source: Path | BytesIO = path
        if page:
            with path.open("rb") as stream:
                segments, _ = segments_of(stream)
                size = stream.seek(0, 2)
                inner = [i for i in self._told(stream, segments, size) if i.kind is PartKind.PICTURE][page - 1]
                stream.seek(inner.at)
                source = BytesIO(stream.read(inner.bytes))
        if head.bits != 8:
            raise UnreadableFile(f"a JPEG of {head.bits} bits is not read", path)
        with Image.open(source, formats=["JPEG", "MPO"]) as image:
            mode = image.mode
            models = {"L": "gray", "RGB": "rgb", "CMYK": "cmyk"}
            if mode not in models:
                raise UnreadableFile(f"a JPEG in {mode} is not read", path)
            return Samples(np.asarray(image), models[mode], head.orientation)

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        with path.open("rb") as stream:
            segments, _ = segments_of(stream)
            size = stream.seek(0, 2)
            inner = self._told(stream, segments, size)
            if page:
                stream.seek([i for i in inner if i.kind is PartKind.PICTURE][page - 1].at)
                segments, _ = segments_of(stream)
        said = _said(segments)
        found: list[Part] = []
        if said.icc is not None:
            found.append(Part("embedded profile", PartKind.PROFILE, len(said.icc)))
        found += exif_parts(said.tree, len(said.block))
        if said.packet:
            found.append(Part("XMP", PartKind.METADATA, len(said.packet) + said.extended, said.packet))
        found += resource_parts(read_resources(said.resources))
        found += [_other_part(s) for s in segments if not self._understood(s)]
        words = {PartKind.PICTURE: "another picture", PartKind.PREVIEW: "preview", PartKind.GAIN_MAP: "gain map"}
        found += [Part(words.get(i.kind, "auxiliary picture"), i.kind, i.bytes) for i in inner]
        if page:
            found.append(Part("the first picture", PartKind.PICTURE, inner[0].at if inner else 0))
        return found

    @staticmethod
    def _understood(s: Segment) -> bool:
        """Whether a segment belongs to the coding, or is listed apart."""
        m, p = s.marker, s.payload
        if not (0xE0 <= m <= 0xEF or m == _COM):
            return True
        marks = {
            _APP0: (b"JFIF\0",),
            APP1: (EXIF_MARK, XMP_MARK, _XMP_MORE_MARK),
            _APP2: (ICC_MARK, _MPF_MARK),
            APP13: (JPEG_MARK,),
            APP14: (b"Adobe",),
        }
        return p.startswith(marks.get(m, (b"\0" * 9,)))

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        samples: NDArray[Any] = picture.numbers
        mode = "CMYK" if picture.model == "cmyk" else None
        plain = _coded(samples[..., 0] if samples.shape[2] == 1 else samples, coding, mode)
        segments, rest_at = segments_of(BytesIO(plain))
        out = bytearray(SOI)
        for s in segments:
            if s.marker == _APP0 and metadata.resolution is not None and s.payload[:5] == b"JFIF\0":
                x, y = (min(max(round(v), 1), 65535) for v in (metadata.resolution.x, metadata.resolution.y))
                out += _segment(_APP0, s.payload[:7] + struct.pack(">BHH", 1, x, y) + s.payload[12:])
            elif s.marker in (_APP0, APP14):
                out += _segment(s.marker, s.payload)
        out += _metadata_segments(metadata)
        if icc is not None:
            out += icc_segments(icc)
        for s in segments:
            if s.marker not in (_APP0, APP14):
                out += _segment(s.marker, s.payload)
        return bytes(out) + plain[rest_at:]

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        if page:
            raise NotSupported("only the first picture of a JPEG of several can be given a tag in place; write a TIFF or PNG")
        segments, rest_at = segments_of(BytesIO(data))
        out = bytearray(SOI)
        placed = False
        index_at = 0
        for s in segments:
            payload = s.payload
            if s.marker == _APP2 and payload.startswith(ICC_MARK):
                continue
            if s.marker not in (_APP0, APP1) and not placed:
                out += icc_segments(icc)
                placed = True
            if s.marker == APP1 and payload.startswith(EXIF_MARK):
                payload = EXIF_MARK + agreeing(payload[len(EXIF_MARK) :], family)
            if s.marker == _APP2 and payload.startswith(_MPF_MARK) and not index_at:
                index_at = len(out)
            out += _segment(s.marker, payload)
        if not placed:
            out += icc_segments(icc)
        if index_at:
            _move_pictures(out, index_at, segments, len(out) - rest_at)
        return bytes(out) + data[rest_at:]


def _coded(pixels: NDArray[Any], coding: Coding, mode: str | None) -> bytes:
    from PIL import Image

    stream = BytesIO()
    image = Image.fromarray(pixels, mode) if mode else Image.fromarray(pixels)
    image.save(stream, "JPEG", quality=coding.quality, subsampling=SUBSAMPLINGS[coding.subsampling])
    return stream.getvalue()


def _metadata_segments(m: Metadata) -> bytes:
    out = b""
    if m.exif is not None and not m.exif.empty:
        out += _segment(APP1, EXIF_MARK + written(m.exif))
    if m.xmp:
        out += _xmp_segments(m.xmp)
    resources = list(m.resources)
    if m.iptc:
        resources.insert(0, Resource(IPTC, b"", written_iim(m.iptc)))
    block = written_resources(resources)
    step = LONGEST - len(JPEG_MARK)
    for at in range(0, len(block), step):
        out += _segment(APP13, JPEG_MARK + block[at : at + step])
    for text in m.texts:
        if text.keyword in JPEG.keywords:
            out += _segment(_COM, text.data[:LONGEST])
    return out


def _xmp_segments(packet: bytes) -> bytes:
    """A packet as one segment, or as one that names its extension and the extension in parts (XMP part 3, 1.1.3.1)."""
    if len(packet) <= LONGEST - len(XMP_MARK):
        return _segment(APP1, XMP_MARK + packet)
    inner = re.search(rb"<x:xmpmeta.*</x:xmpmeta>", packet, re.S)
    body = inner.group(0) if inner else packet
    digest = hashlib.md5(body, usedforsecurity=False).hexdigest().upper().encode()
    short = (
        b'<?xpacket begin="\xef\xbb\xbf" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/">'
        b'<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
        b'xmlns:xmpNote="http://ns.adobe.com/xmp/note/" xmpNote:HasExtendedXMP="' + digest + b'"/></rdf:RDF></x:xmpmeta>'
        b'<?xpacket end="w"?>'
    )
    out = _segment(APP1, XMP_MARK + short)
    step = LONGEST - len(_XMP_MORE_MARK) - 40
    for at in range(0, len(body), step):
        lead = _XMP_MORE_MARK + digest + struct.pack(">II", len(body), at)
        out += _segment(APP1, lead + body[at : at + step])
    return out


def _move_pictures(out: bytearray, index_at: int, segments: list[Segment], grown: int) -> None:
    """Let a multi-picture index point at its pictures again: offsets count from its own header, and the first picture has another length."""
    old = next(s for s in segments if s.marker == _APP2 and s.payload.startswith(_MPF_MARK))
    header = index_at + 4 + len(_MPF_MARK)
    moved = grown - (index_at - old.at)
    body = bytes(out[header : header + len(old.payload) - len(_MPF_MARK)])
    order = "<" if body[:2] == b"II" else ">"
    for _, length, offset, at in _mpf_rows(body)[1]:
        if offset == 0:
            struct.pack_into(order + "I", out, header + at + 4, length + grown)
        else:
            struct.pack_into(order + "I", out, header + at + 8, offset + moved)


def _other_part(s: Segment) -> Part:
    p = s.payload
    if s.marker == _COM:
        return Part("comment", PartKind.TEXT, len(p), Text("Comment", p))
    name = f"APP{s.marker - 0xE0}"
    if s.marker == _APP0 and p[:5] == b"JFXX\0":
        return Part("preview in JFIF", PartKind.PREVIEW, len(p))
    if p.startswith(_GAIN_MARK):
        return Part("marks of a gain map", PartKind.OTHER, len(p))
    words = re.match(rb"[A-Za-z0-9 ._:/-]{2,40}", p)
    return Part(f"{name} {words.group(0).decode()}" if words else name, PartKind.OTHER, len(p))


def resource_parts(resources: list[Resource]) -> list[Part]:
    """Image resources as parts; IPTC among them as the data sets it is."""
    found: list[Part] = []
    for r in resources:
        if r.id == IPTC:
            sets = tuple(read_iim(r.data))
            if sets:
                found.append(Part("IPTC", PartKind.METADATA, len(r.data), sets))
            continue
        kind = PartKind.PATH if r.is_path else PartKind.PREVIEW if r.is_preview else PartKind.RESOURCE
        found.append(Part(r.words(), kind, len(r.data), r))
    return found
