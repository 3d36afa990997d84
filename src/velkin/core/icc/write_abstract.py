"""ICC abstract profiles: a change of colours within the connection space, whatever space their numbers are in (ICC.1:2022 8.8)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write import assemble, description_v2, text_v2, text_v4, xyz_tag
from velkin.core.icc.write_table import ENTRIES, GRID, table_v2, table_v4
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import lab_of_numbers

Floats = NDArray[np.float64]

_RELATIVE = 1


def abstract_profile(name: str, change: Callable[[Floats], Floats], version: Literal[2, 4] = 4) -> bytes:
    """An abstract profile of a table from Lab to Lab.

    Parameters
    ----------
    change : function
        Lab D50 (N, 3) of Lab D50 (N, 3).
    """
    steps = np.linspace(0.0, 1.0, GRID)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    even = [np.linspace(0.0, 1.0, ENTRIES)] * 3
    if version == 4:
        lab = lab_of_numbers(nodes)
        head = [(b"desc", text_v4(name)), (b"cprt", text_v4("No copyright, use freely"))]
        table = table_v4(change(lab), even)
    else:  # the legacy encoding of Lab, in which L* 100 is FF00h, for what comes in too
        lab = nodes * 65535.0 / np.array([652.80, 256.0, 256.0]) - np.array([0.0, 128.0, 128.0])
        head = [(b"desc", description_v2(name)), (b"cprt", text_v2("No copyright, use freely"))]
        table = table_v2(change(lab), even)
    tags = [*head, (b"wtpt", xyz_tag(D50)), (b"A2B0", table)]
    return assemble(tags, version, kind=b"abst", connection=b"Lab ", model=b"Lab ", intent=_RELATIVE)
