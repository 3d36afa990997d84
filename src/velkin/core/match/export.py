"""A match as files of others: a `.cube` table, an ICC input profile that carries it on a stated RGB space, and an ICC abstract profile."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write_abstract import abstract_profile
from velkin.core.icc.write_input import input_table_profile
from velkin.core.match.baked import Amounts, carried, matched
from velkin.core.match.cube_file import cube_text
from velkin.core.match.match import Match
from velkin.core.match.pair import coordinates, oklab_at
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import RGBSpace, family_of

Floats = NDArray[np.float64]

SIZES = (17, 33, 65)


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
