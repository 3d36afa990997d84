"""Boxes and items of the ISO base media file format, as AVIF and HEIF use them (ISO/IEC 14496-12, 23008-12, 23000-22)."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

#: A description of more bytes than this is refused.
LARGEST_META = 1 << 26


@dataclass(frozen=True)
class Box:
    """A box: name, where it begins, where its content begins, where it ends."""

    name: bytes
    at: int
    body: int
    end: int


def boxes(data: bytes, at: int = 0, end: int | None = None) -> Iterator[Box]:
    """The boxes of a stretch of bytes; one that is damaged ends it."""
    end = len(data) if end is None else end
    while at + 8 <= end:
        size, name = struct.unpack_from(">I4s", data, at)
        body = at + 8
        if size == 1 and at + 16 <= end:
            size, body = struct.unpack_from(">Q", data, at + 8)[0], at + 16
        elif size == 0:
            size = end - at
        if size < body - at or at + size > end:
            return
        yield Box(name, at, body, at + size)
        at += size


def box(name: bytes, body: bytes) -> bytes:
    """A box with its length."""
    return struct.pack(">I4s", len(body) + 8, name) + body


@dataclass
class Item:
    """An item: its type, whether it is hidden, what it is said to contain, where its bytes lie, and its properties by number (from 1)."""

    id: int
    type: bytes = b""
    hidden: bool = False
    content: bytes = b""
    extents: list[tuple[int, int]] = field(default_factory=list)
    in_idat: bool = False
    properties: list[int] = field(default_factory=list)

    @property
    def bytes(self) -> int:
        """Length of its bytes."""
        return sum(length for _, length in self.extents)


@dataclass
class Meta:
    """What the ``meta`` box of a file says.

    Attributes
    ----------
    at, end : int
        Of the box, in the file.
    primary : int
    items : dict of int to Item
    links : list of (kind, from, to)
    properties : list of (name, body)
    idat : (begin, end)
        Of bytes that lie in the box itself, in the file.
    """

    at: int
    end: int
    primary: int = 0
    items: dict[int, Item] = field(default_factory=dict)
    links: list[tuple[bytes, int, list[int]]] = field(default_factory=list)
    properties: list[tuple[bytes, bytes]] = field(default_factory=list)
    idat: tuple[int, int] = (0, 0)

    def of(self, item: int) -> list[tuple[bytes, bytes]]:
        """The properties of an item, in their order."""
        found = self.items.get(item)
        return [self.properties[n - 1] for n in found.properties if 0 < n <= len(self.properties)] if found else []

    def linked(self, kind: bytes) -> set[int]:
        """Items from which links of a kind go."""
        return {origin for k, origin, _ in self.links if k == kind}

    def bytes_of(self, data: bytes, item: Item) -> bytes:
        """An item's bytes."""
        base = self.idat[0] if item.in_idat else 0
        return b"".join(data[base + at : base + at + length] for at, length in item.extents)


def read_meta(data: bytes) -> Meta:
    """The ``meta`` box of a file. Raises ValueError, struct.error, IndexError."""
    found = next((b for b in boxes(data) if b.name == b"meta"), None)
    if found is None:
        raise ValueError("no description of items")
    if found.end - found.at > LARGEST_META:
        raise ValueError(f"its description says it has {found.end - found.at} bytes")
    meta = Meta(found.at, found.end)
    for b in boxes(data, found.body + 4, found.end):
        body = data[b.body : b.end]
        if b.name == b"pitm":
            meta.primary = struct.unpack_from(">H" if body[0] == 0 else ">I", body, 4)[0]
        elif b.name == b"iinf":
            _read_infos(meta, body)
        elif b.name == b"iloc":
            _read_locations(meta, body)
        elif b.name == b"iref":
            _read_links(meta, body)
        elif b.name == b"iprp":
            _read_properties(meta, body)
        elif b.name == b"idat":
            meta.idat = (b.body, b.end)
    return meta


def _read_infos(meta: Meta, body: bytes) -> None:
    for b in boxes(body, 6 if body[0] == 0 else 8):
        info = body[b.body : b.end]
        if b.name != b"infe" or len(info) < 12 or info[0] < 2:
            continue
        wide = info[0] >= 3
        number = struct.unpack_from(">I" if wide else ">H", info, 4)[0]
        at = 10 if wide else 8
        item = meta.items.setdefault(number, Item(number))
        item.type, item.hidden = info[at + 0 : at + 4], bool(info[3] & 1)
        name, _, rest = info[at + 4 :].partition(b"\0")
        item.content = rest.partition(b"\0")[0] if item.type == b"mime" else name
    return


def _read_locations(meta: Meta, body: bytes) -> None:
    version = body[0]
    sizes = struct.unpack_from(">H", body, 4)[0]
    offset_size, length_size, base_size = sizes >> 12, (sizes >> 8) & 15, (sizes >> 4) & 15
    index_size = sizes & 15 if version in (1, 2) else 0
    at = 6

    def take(size: int) -> int:
        nonlocal at
        if at + size > len(body):
            raise ValueError("the places of its items are cut short")
        value = int.from_bytes(body[at : at + size], "big")
        at += size
        return value

    for _ in range(take(2 if version < 2 else 4)):
        number = take(2 if version < 2 else 4)
        method = take(2) & 15 if version in (1, 2) else 0
        take(2)
        base = take(base_size)
        item = meta.items.setdefault(number, Item(number))
        item.in_idat = method == 1
        for _ in range(take(2)):
            take(index_size)
            offset, length = take(offset_size), take(length_size)
            item.extents.append((base + offset, length))


def _read_links(meta: Meta, body: bytes) -> None:
    form, size = (">H", 2) if body[0] == 0 else (">I", 4)
    for b in boxes(body, 4):
        origin = struct.unpack_from(form, body, b.body)[0]
        count = struct.unpack_from(">H", body, b.body + size)[0]
        first = b.body + size + 2
        to = [struct.unpack_from(form, body, first + i * size)[0] for i in range(count) if first + (i + 1) * size <= b.end]
        meta.links.append((b.name, origin, to))


def _read_properties(meta: Meta, body: bytes) -> None:
    for b in boxes(body):
        inner = body[b.body : b.end]
        if b.name == b"ipco":
            meta.properties = [(p.name, inner[p.body : p.end]) for p in boxes(inner)]
        elif b.name == b"ipma":
            for number, rows in associations(inner):
                meta.items.setdefault(number, Item(number)).properties += [n & 0x7FFF for n in rows]


def associations(ipma: bytes) -> list[tuple[int, list[int]]]:
    """The rows of an ``ipma`` box: item, and its properties, 0x8000 added to those that are essential."""
    version, wide = ipma[0], bool(ipma[3] & 1)
    at = 8
    found = []
    for _ in range(struct.unpack_from(">I", ipma, 4)[0]):
        number = struct.unpack_from(">H" if version == 0 else ">I", ipma, at)[0]
        at += 2 if version == 0 else 4
        count = ipma[at]
        at += 1
        rows = []
        for _ in range(count):
            if wide:
                rows.append(struct.unpack_from(">H", ipma, at)[0])
                at += 2
            else:
                rows.append((ipma[at] & 0x7F) | ((ipma[at] & 0x80) << 8))
                at += 1
        found.append((number, rows))
    return found


def _written_associations(rows: list[tuple[int, list[int]]]) -> bytes:
    out = struct.pack(">II", 0x01000001, len(rows))  # version 1, wide indexes
    for number, properties in rows:
        out += struct.pack(">IB", number, len(properties)) + struct.pack(f">{len(properties)}H", *properties)
    return box(b"ipma", out)


# ---- changing -----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Added:
    """An item to be added that describes the primary one: type, content type of a ``mime`` item, bytes."""

    type: bytes
    content: bytes
    data: bytes


def changed(data: bytes, icc: bytes | None, added: tuple[Added, ...] = ()) -> bytes:
    """The file with a profile in place of those it has, and with more items; the bytes of pictures stay, and places are moved along.

    Parameters
    ----------
    icc : bytes or None
        None leaves the profiles that are there.

    Raises
    ------
    ValueError, struct.error, IndexError
        When its description is damaged, or of a kind whose places cannot be moved.
    """
    meta = read_meta(data)
    movie = next((b for b in boxes(data) if b.name == b"moov"), None)
    tracks = _with_profile(data, movie, icc) if movie is not None and icc is not None else b""
    grown = len(tracks) - (movie.end - movie.at) if movie is not None and tracks else 0
    head = (
        meta.at + 8
        if data[meta.at + 4 : meta.at + 8] == b"meta" and data[meta.at : meta.at + 4] != b"\0\0\0\1"
        else meta.at + 16
    )
    old = {b.name: b for b in boxes(data, head + 4, meta.end)}
    infos = [(max(meta.items, default=0) + 1 + i, a) for i, a in enumerate(added)]

    def described(moved: Callable[[int], int], at_end: int) -> bytes:
        out = data[head : head + 4]
        for name, b in old.items():
            inner = data[b.body : b.end]
            if name == b"iprp":
                out += box(b"iprp", _new_properties(inner, meta, icc))
            elif name == b"iloc":
                out += box(b"iloc", _new_locations(meta, moved, at_end, infos))
            elif name == b"iinf":
                out += box(b"iinf", _new_infos(inner, infos))
            elif name != b"iref" or not infos:
                out += data[b.at : b.end]
        return box(b"meta", out + (_new_links(meta, infos) if infos else b""))

    shift = len(described(lambda at: at, len(data))) - (meta.end - meta.at)

    def moved(at: int) -> int:
        behind = movie is not None and at >= movie.end
        return at + (shift if at >= meta.end else 0) + (grown if behind else 0)

    pieces = [(meta.at, meta.end, described(moved, len(data) + shift + grown + 8))]
    if movie is not None:
        pieces.append((movie.at, movie.end, _with_places(tracks or data[movie.at : movie.end], moved)))
    out, at = b"", 0
    for begin, end, new in sorted(pieces):
        out += data[at:begin] + new
        at = end
    out += data[at:]
    return out + box(b"mdat", b"".join(a.data for _, a in infos)) if infos else out


#: More frames than this are a damaged number.
_MOST_FRAMES = 65536
#: Boxes lie within boxes so deep at most.
_DEEPEST = 16
#: Boxes that hold boxes, and how many bytes of their own stand before them (a sample entry of pictures has 78).
_HOLDERS = {b"moov": 0, b"trak": 0, b"mdia": 0, b"minf": 0, b"stbl": 0, b"stsd": 8, b"av01": 78, b"hvc1": 78, b"hev1": 78}


def _with_profile(data: bytes, b: Box, icc: bytes, depth: int = 0) -> bytes:
    """A box with a profile in place of those in it. Raises ValueError for boxes within boxes without end."""
    if depth > _DEEPEST:
        raise ValueError("boxes lie within boxes without end")
    own = _HOLDERS.get(b.name)
    if b.name == b"colr" and data[b.body : b.body + 4] in (b"prof", b"rICC"):
        return box(b"colr", b"prof" + icc)
    if own is None:
        return data[b.at : b.end]
    inner = [_with_profile(data, i, icc, depth + 1) for i in boxes(data, b.body + own, b.end)]
    if own == 78 and not any(i[4:8] == b"colr" and i[8:12] == b"prof" for i in inner):
        inner.append(box(b"colr", b"prof" + icc))
    return box(b.name, data[b.body : b.body + own] + b"".join(inner))


def _with_places(data: bytes, moved: Callable[[int], int]) -> bytes:
    """A movie whose samples lie where they were moved to."""
    out = bytearray(data)
    stack = list(boxes(data))
    while stack:
        b = stack.pop()
        if b.name in (b"stco", b"co64"):
            form, size = (">I", 4) if b.name == b"stco" else (">Q", 8)
            for i in range(struct.unpack_from(">I", out, b.body + 4)[0]):
                at = b.body + 8 + i * size
                struct.pack_into(form, out, at, moved(struct.unpack_from(form, out, at)[0]))
        elif _HOLDERS.get(b.name) == 0:
            stack += list(boxes(data, b.body, b.end))
    return bytes(out)


def _new_properties(body: bytes, meta: Meta, icc: bytes | None) -> bytes:
    if icc is None:
        return body
    inner = {b.name: body[b.body : b.end] for b in boxes(body)}
    out, number = b"", 0
    has = False
    for p in boxes(inner[b"ipco"]):
        whole = inner[b"ipco"][p.at : p.end]
        number += 1
        if p.name == b"colr" and inner[b"ipco"][p.body : p.body + 4] in (b"prof", b"rICC"):
            whole = box(b"colr", b"prof" + icc)
            has = has or any(number in i.properties for i in meta.items.values() if i.id == meta.primary)
        out += whole
    rows = associations(inner[b"ipma"])
    if not has:
        out += box(b"colr", b"prof" + icc)
        rows = [(n, [number + 1, *r] if n == meta.primary else r) for n, r in rows]
        if not any(n == meta.primary for n, _ in rows):
            rows.append((meta.primary, [number + 1]))
    return box(b"ipco", out) + _written_associations(rows)


def _new_locations(meta: Meta, moved: Callable[[int], int], at_end: int, infos: list[tuple[int, Added]]) -> bytes:
    """The places of all items: in 32 bits where they fit, since many readers know no other."""
    located: list[tuple[int, bool, list[tuple[int, int]]]] = []
    for item in meta.items.values():
        if item.extents:
            located.append((item.id, item.in_idat, [(at if item.in_idat else moved(at), n) for at, n in item.extents]))
    for number, a in infos:
        located.append((number, False, [(at_end, len(a.data))]))
        at_end += len(a.data)
    wide = any(at + length >= 1 << 32 for _, _, extents in located for at, length in extents)
    many = any(number >= 1 << 16 for number, _, _ in located)
    out = struct.pack(">IH", 0x02000000 if many else 0x01000000, 0x8800 if wide else 0x4400)
    out += struct.pack(">I" if many else ">H", len(located))
    for number, in_idat, extents in located:
        out += struct.pack(">IHHH" if many else ">HHHH", number, int(in_idat), 0, len(extents))
        for at, length in extents:
            out += struct.pack(">QQ" if wide else ">II", at, length)
    return out


def _new_infos(body: bytes, infos: list[tuple[int, Added]]) -> bytes:
    at, form = (6, ">H") if body[0] == 0 else (8, ">I")
    count = struct.unpack_from(form, body, 4)[0] + len(infos)
    out = body[:4] + struct.pack(form, count) + body[at:]
    for number, a in infos:
        tail = b"\0" + a.content + b"\0" if a.type == b"mime" else b"\0"
        lead = struct.pack(">IHH4s", 0x02000001, number, 0, a.type)  # hidden: no picture to be shown
        out += box(b"infe", lead + tail)
    return out


def _new_links(meta: Meta, infos: list[tuple[int, Added]]) -> bytes:
    links = [*meta.links, *((b"cdsc", number, [meta.primary]) for number, _ in infos)]
    many = any(n >= 1 << 16 for _, origin, to in links for n in (origin, *to))
    letter = "I" if many else "H"
    out = struct.pack(">I", 0x01000000 if many else 0)
    for kind, origin, to in links:
        out += box(kind, struct.pack(f">{letter}H", origin, len(to)) + struct.pack(f">{len(to)}{letter}", *to))
    return box(b"iref", out)


def frames_in(data: bytes) -> int:
    """Pictures of the first sequence in a file; 0 without one."""
    stack = [b for b in boxes(data) if b.name == b"moov"]
    most = 0
    while stack:
        b = stack.pop()
        if b.name == b"stsz" and b.end - b.body >= 12:
            count = struct.unpack_from(">I", data, b.body + 8)[0]
            most = max(most, count if count <= _MOST_FRAMES else 0)
        elif _HOLDERS.get(b.name) == 0:
            stack += list(boxes(data, b.body, b.end))
    return most
