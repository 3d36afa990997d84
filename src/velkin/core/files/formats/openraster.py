"""OpenRaster (freedesktop.org): layered pictures, read as what their layers make, and written with a single layer."""

from __future__ import annotations

import zipfile
from dataclasses import replace
from io import BytesIO
from pathlib import Path
from typing import ClassVar

import numpy as np

from velkin.core.errors import UnreadableFile
from velkin.core.files import kinds
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.formats.base import ColourSaid, Format, Head, Samples
from velkin.core.files.formats.png import PNG
from velkin.core.files.layers.archive import MERGED, MIMETYPE, STACK, THUMBNAIL, Archive, is_openraster
from velkin.core.files.layers.picture import opened
from velkin.core.files.layers.stack import listed, read_stack
from velkin.core.files.metadata import Metadata, Resolution
from velkin.core.files.picture import Picture

_PREVIEWS = {MERGED: "merged picture", THUMBNAIL: "small picture"}
_LAYER = "data/layer0.png"
_VERSION = "0.0.5"
#: The longest side of the small picture, as the format has it.
_SMALL = 256


class OpenRaster(Format):
    """Layers of 8 or 16 bits, RGB with transparent parts.

    Blending gives more steps than its layers have, so that the merged picture has 16 bits.
    """

    kind = kinds.OPENRASTER
    holds: ClassVar[frozenset[type]] = frozenset()
    icc_place = "iCCP"

    def recognises(self, head: bytes) -> bool:
        return is_openraster(head)

    def head(self, path: Path, page: int = 0) -> Head:
        if page:
            raise UnreadableFile(f"it holds 1 picture, and number {page + 1} was asked for", path)
        with opened(path) as layered:
            stack = layered.stack
            return Head(
                format=self.kind.id,
                width=stack.width,
                height=stack.height,
                channels=4,
                bits=layered.bits,
                model="rgb",
                alpha=True,
                colour=ColourSaid(layered.icc, self.icc_place if layered.icc else "", by_format=True),
                resolution=Resolution.of(*stack.ppi, 1) if stack.ppi is not None else None,
                damage=(*(f"not known: {u}" for u in stack.unknown), *layered.notes),
                layers=listed(stack),
            )

    def decode(self, path: Path, page: int = 0) -> Samples:
        if page:
            raise UnreadableFile(f"it holds 1 picture, and number {page + 1} was asked for", path)
        with opened(path) as layered:
            numbers = layered.merged()
        return Samples(numbers[..., :3] if numbers[..., 3].min() == 65535 else numbers, "rgb")

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        with Archive(path) as archive:
            layers = read_stack(archive.stack(), path).layers()
            sizes = archive.sizes
        found = [Part(f"layer {layer.name or layer.source}", PartKind.LAYER, sizes.get(layer.source, 0)) for layer in layers]
        found += [Part(words, PartKind.PREVIEW, sizes[name]) for name, words in _PREVIEWS.items() if name in sizes]
        known = {layer.source for layer in layers} | {MERGED, THUMBNAIL, STACK, "mimetype"}
        return found + [Part(f"part {name}", PartKind.OTHER, size) for name, size in sizes.items() if name not in known]

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        height, width = picture.numbers.shape[:2]
        said = metadata.resolution
        full = PNG().encode(picture, icc, Metadata(resolution=said), coding)
        resolution = f' xres="{round(said.x)}" yres="{round(said.y)}"' if said is not None else ""
        stack = (
            f'<?xml version=\'1.0\' encoding=\'UTF-8\'?>\n<image version="{_VERSION}" w="{width}" h="{height}"{resolution}>'
            f'<stack><layer name="Picture" src="{_LAYER}" x="0" y="0" /></stack></image>\n'
        )
        out = BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for name, data in (
                ("mimetype", MIMETYPE),  # the first, and not packed, so that the file is known by its first bytes
                (STACK, stack.encode()),
                (_LAYER, full),
                (THUMBNAIL, PNG().encode(_small(picture), icc, Metadata(), coding)),
                (MERGED, full),
            ):
                archive.writestr(zipfile.ZipInfo(name), data)
        return out.getvalue()


def _small(picture: Picture) -> Picture:
    """The small picture that the format asks for: 8 bits, at most 256 pixels a side."""
    import cv2

    height, width = picture.numbers.shape[:2]
    scale = min(_SMALL / max(height, width), 1.0)
    size = max(round(width * scale), 1), max(round(height * scale), 1)
    full = np.dstack([picture.numbers, picture.alpha]) if picture.alpha is not None else picture.numbers
    small = np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], -1)
    eight = small if small.dtype == np.uint8 else np.rint(small / 257.0).astype(np.uint8)
    return replace(picture, numbers=eight[..., :3], alpha=eight[..., 3] if eight.shape[2] == 4 else None)
