"""A layered picture's file: its stack, the colour of its parts, and the picture that its layers make."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.files.layers.archive import MERGED, Archive
from velkin.core.files.layers.merging import Band, Order, Pixels, Recode, largest_difference, merged_bands, merged_numbers
from velkin.core.files.layers.png_rows import shape_of
from velkin.core.files.layers.stack import Stack, read_stack


@dataclass(frozen=True)
class Layered:
    """A layered picture, opened.

    Attributes
    ----------
    archive : Archive
    stack : Stack
    bits : int
        The most that a layer has.
    icc : bytes or None
        The profile of the numbers that its layers are put together in: the lowest layer's that has one, or else that of the merged picture
        in the file.
    others : dict of bytes
        The profiles of parts that have another one.
    notes : tuple of str
        What is odd about its profiles.
    """

    archive: Archive = field(repr=False)
    stack: Stack
    bits: int
    icc: bytes | None = field(repr=False)
    others: dict[str, bytes] = field(repr=False)
    notes: tuple[str, ...]

    def bands(self, orders: tuple[Order, ...], step: int = 1) -> Iterator[Band]:
        """As `merged_bands`, of this picture. Raises UnreadableFile."""
        return merged_bands(self.archive, self.stack, orders, self._own(), step)

    def merged(self) -> NDArray[np.uint16]:
        """The merged picture (H, W, 4) in 16 bits, alpha last. Raises UnreadableFile."""
        return merged_numbers(self.archive, self.stack, self._own())

    def against_merged(self, numbers: NDArray[Any], alpha: NDArray[Any] | None) -> int | None:
        """How far the merged picture in the file lies from a picture (H, W, 3) and its alpha, in codes of 8 bits.

        None where there is none, or one of another size. Raises UnreadableFile.
        """
        return largest_difference(self.archive, MERGED, numbers, alpha) if self.archive.holds(MERGED) else None

    def _own(self) -> dict[str, Recode]:
        return {source: _between(icc, self.icc) for source, icc in self.others.items() if self.icc is not None}


@contextmanager
def opened(path: Path) -> Iterator[Layered]:
    """A layered picture, while it is looked at.

    Raises
    ------
    UnreadableFile
        When it is damaged, lacks a part, or asks for more than a picture can need.
    """
    with Archive(path) as archive:
        stack = read_stack(archive.stack(), path)
        profiles: dict[str, bytes | None] = {}
        bits = 8
        for layer in stack.layers():
            if layer.source in profiles:
                continue
            with archive.opened(layer.source) as stream:
                bits = max(bits, shape_of(stream, path, f"the layer “{layer.name or layer.source}”").depth)
            profiles[layer.source] = _profile_in(archive, layer.source)
        found = [icc for icc in profiles.values() if icc]
        merged = _profile_in(archive, MERGED) if archive.holds(MERGED) else None
        own = found[0] if found else merged
        others = {source: icc for source, icc in profiles.items() if icc and icc != own and not _alike(icc, own)}
        notes = [
            f"{len(others)} of its layers have another profile than the rest, and are converted to that before they are merged"
        ]
        if not others:
            notes.clear()
        if found and any(icc is None for icc in profiles.values()):
            notes.append("some of its layers have no profile, and are taken for those of the others")
        if found and merged is not None and not _alike(merged, own):
            notes.append("the merged picture in the file has another profile than its layers")
        yield Layered(archive, stack, bits, own, others, tuple(notes))


def _profile_in(archive: Archive, name: str) -> bytes | None:
    from velkin.core.files.formats.png import colour_before_picture

    with archive.opened(name) as stream:
        try:
            return colour_before_picture(stream).icc or None  # type: ignore[arg-type]
        except (ValueError, struct.error) as error:
            raise UnreadableFile(f"the part {name} of the layered picture is damaged", archive.path) from error


def _alike(icc: bytes, other: bytes | None) -> bool:
    """Whether two profiles do the same; one that cannot be used is not told apart."""
    from velkin.core.icc.space import same, space_of

    try:
        return other is None or icc == other or same(space_of(icc), space_of(other))
    except BadProfile:
        return True


def _between(icc: bytes, to: bytes) -> Recode:
    """What brings numbers of one profile into those of another, through LittleCMS; unchanged where a profile cannot be used so."""
    from velkin.core.icc.read import parse
    from velkin.core.icc.transform import device_values

    model, channels = parse(icc).model, 1 if parse(icc).model == "gray" else 3

    def recoded(numbers: Pixels) -> Pixels:
        try:
            found = device_values(numbers[:, :channels], icc, model, to, "rgb")
        except BadProfile:
            return numbers
        return np.clip(found, 0, 1).astype(np.float32)

    return recoded
