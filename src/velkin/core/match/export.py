"""A match as files of others: a `.cube` table, an ICC input profile that carries it on a stated RGB space, and an ICC abstract profile."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import NotSupported
from velkin.core.icc.write_abstract import abstract_profile
from velkin.core.icc.write_input import input_table_profile
from velkin.core.match.baked import Amounts, carried, matched
from velkin.core.match.cube_file import cube_text
from velkin.core.match.match import Match, Part
from velkin.core.match.match_file import KeptMatch, match_to_json
from velkin.core.match.pair import coordinates, oklab_at
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import ROMM, RGBSpace, family_of

Floats = NDArray[np.float64]

SIZES = (17, 33, 65)


class As(StrEnum):
    """Kinds of files that a match is written as."""

    OWN = "json"
    CUBE = "cube"
    #: An input profile for pictures of a stated space.
    INPUT = "icc"
    ABSTRACT = "abstract"


@dataclass(frozen=True)
class ExportWish:
    """How a match is to be written.

    Attributes
    ----------
    kind : As
    space : RGBSpace
        Whose numbers a table or an input profile takes.
    size : int
        Steps of a `.cube`.
    part : Part
        Velkin's own file holds all of it.
    version : 2 or 4
        Of ICC.
    """

    kind: As
    space: RGBSpace = ROMM
    size: int = 33
    part: Part = Part.BOTH
    version: Literal[2, 4] = 4

    @property
    def suffix(self) -> str:
        """Of the file."""
        return {As.OWN: ".json", As.CUBE: ".cube"}.get(self.kind, ".icc")

    def words(self) -> tuple[str, str]:
        """What it takes and gives."""
        said = numbers_words(self.space)
        return {
            As.OWN: ("any RGB picture", "the same space"),
            As.CUBE: (said, said),
            As.INPUT: (said, "Lab D50, by the profile"),
            As.ABSTRACT: ("Lab D50", "Lab D50"),
        }[self.kind]


def match_bytes(kept: KeptMatch, match: Match, wish: ExportWish) -> bytes:
    """The file of a match that was learnt from what is kept.

    Raises
    ------
    NotSupported
        For the part that brings to normal of a match that has none.
    """
    if wish.kind is As.OWN:
        return match_to_json(kept).encode()
    if wish.part is Part.NORMAL and not match.normalising.changes:
        raise NotSupported("the picture was not flat, so that there is no step that brings it to normal")
    part = match.part(wish.part)
    amounts = Amounts() if wish.part is Part.NORMAL else kept.amounts
    if wish.kind is As.CUBE:
        return match_cube(part, amounts, wish.space, wish.size).encode()
    if wish.kind is As.ABSTRACT:
        return match_abstract(part, amounts, wish.version)
    return match_icc(part, amounts, wish.space, wish.version)


def numbers_words(space: RGBSpace) -> str:
    """What a written table takes and gives, in words."""
    return f"{space.name}, encoded, 0..1"


def match_cube(match: Match, amounts: Amounts, space: RGBSpace, size: int = 33) -> str:
    """The text of a `.cube`: encoded numbers of a space in and out, clipped to 0..1."""
    steps = np.linspace(0.0, 1.0, size)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    moved = matched(np.asarray(space.decode(nodes)), space, match, amounts)
    values = np.clip(space.encode(moved), 0.0, 1.0).reshape(size, size, size, 3)
    comments = (f"input: {numbers_words(space)}", f"output: {numbers_words(space)}", f"space: {family_of(space) or space.id}")
    return cube_text(values, match.name or "match", comments)


def match_abstract(match: Match, amounts: Amounts, version: Literal[2, 4] = 4) -> bytes:
    """An abstract profile: the match on colours of any space."""

    def change(lab: Floats) -> Floats:
        x = coordinates(xyz_to_oklab(lab_to_xyz(lab)))
        return xyz_to_lab(np.maximum(oklab_to_xyz(oklab_at(carried(match, amounts, x))), 0.0))

    return abstract_profile(match.name or "match", change, version)


def match_icc(match: Match, amounts: Amounts, space: RGBSpace, version: Literal[2, 4] = 4) -> bytes:
    """An input profile for pictures whose numbers are those of a space: their colours, matched."""
    curve = np.asarray(space.decode(np.repeat(np.linspace(0.0, 1.0, 1024)[:, None], 3, axis=1)))

    def lab_of(linear: Floats) -> Floats:
        return xyz_to_lab(np.maximum(matched(linear, space, match, amounts) @ space.to_xyz.T, 0.0))

    name = f"{match.name or 'match'}, on {space.name}"
    curves = (curve[:, 0], curve[:, 1], curve[:, 2])
    return input_table_profile(name, lab_of, takes="picture", curves=curves, version=version)
