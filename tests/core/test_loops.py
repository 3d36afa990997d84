"""Loops as they are written and as they are compiled: the same bits; and results that are kept on the disk."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest

from velkin.core import disk_cache
from velkin.core.compiled import FEW, Loop, exact_jit
from velkin.core.conversion import kernels
from velkin.core.conversion.curves import decoder_of, encoder_of
from velkin.core.conversion.tables import Table, table_of_values
from velkin.core.spaces.rgb import OPRGB, SRGB

RNG = np.random.default_rng(4)
LIGHT = np.concatenate([RNG.uniform(-0.2, 1.2, (300, 3)), [[np.nan, np.inf, -np.inf], [0, 1e-30, -0.0]]]).astype(np.float32)
CURVES, BACK = encoder_of(OPRGB), decoder_of(SRGB)
MATRIX = RNG.uniform(-1, 1, 9).astype(np.float32)
GRID = table_of_values(RNG.random((5, 5, 5, 4)), 3, codes=True)
FOUR = table_of_values(RNG.random((4, 4, 4, 4, 3)), 4, codes=False)


def _curves(c):
    return (*c.tables, c.shift, c.base)


CASES = {
    "light_of_light": (LIGHT, MATRIX, np.zeros_like(LIGHT)),
    "light_of_numbers": (LIGHT, *_curves(BACK), MATRIX, np.zeros_like(LIGHT)),
    "numbers_of_light": (LIGHT, *_curves(CURVES), np.zeros_like(LIGHT)),
    "codes_of_light": (LIGHT, *_curves(CURVES), RNG.uniform(-0.5, 0.5, (16, 16)).astype(np.float32), 7, 31, np.zeros(LIGHT.shape, np.uint8)),
    "codes_of_numbers": (LIGHT, np.zeros((1, 1), np.float32), 0, 40, np.zeros(LIGHT.shape, np.uint16)),
    "count_outside": (
        LIGHT, np.array([0.2, 0.7, 0.1], np.float32), np.full(3, -0.01, np.float32), np.full(3, 1.01, np.float32),
        np.zeros(len(LIGHT), np.uint8), np.zeros(14, np.int64),
    ),
    "through_cube": (np.clip(LIGHT, 0, 1), GRID.grid, GRID.side, np.float32(GRID.scale), np.zeros((len(LIGHT), 4), np.float32)),
    "through_four": (
        np.clip(RNG.random((200, 4)), 0, 1).astype(np.float32), FOUR.grid, FOUR.side, np.float32(1), np.zeros((200, 3), np.float32),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(CASES))
def test_a_loop_gives_the_same_bits_as_it_is_written_and_compiled(name):
    loop: Loop = getattr(kernels, name)
    done = []
    for way in (loop.plain(), loop.compiled()):
        arguments = [a.copy() if isinstance(a, np.ndarray) else a for a in CASES[name]]
        with np.errstate(all="ignore"):
            way(*arguments)
        done.append(arguments)
    for a, b in zip(*done, strict=True):
        assert (
            np.array_equal(a, b, equal_nan=True) if isinstance(a, np.ndarray) and a.dtype.kind == "f" else np.array_equal(a, b)
        )


def test_a_small_picture_is_converted_without_the_compiler_and_a_large_one_with_it(tmp_path):
    script = (
        "import sys, numpy as np, imagecodecs\n"
        "side = int(sys.argv[1])\n"
        "open(sys.argv[2], 'wb').write(imagecodecs.png_encode(np.full((side, side, 3), 90, np.uint8)))\n"
        "from velkin.cli import main\n"
        "status = main(['convert', sys.argv[2], '--from', 'srgb', '--to', 'oprgb', '--out', sys.argv[2] + '.png'])\n"
        "print(status, 'numba' in sys.modules)\n"
    )
    for side, compiled in ((60, "False"), (int(FEW**0.5) + 60, "True")):
        done = subprocess.run(
            [sys.executable, "-c", script, str(side), str(tmp_path / f"{side}.png")], capture_output=True, text=True
        )
        assert done.stdout.split()[-2:] == ["0", compiled], done.stderr


def test_a_loop_that_calls_others_and_one_that_is_not_exact():
    assert isinstance(exact_jit(_plain_function), Loop) and exact_jit(_plain_function)(np.arange(3.0)) == 3.0


def _plain_function(values):
    return values.sum()


def test_what_is_kept_on_the_disk_is_the_same_and_damage_is_made_anew(tmp_path, monkeypatch):
    monkeypatch.setattr(disk_cache, "_folder", lambda: tmp_path / "tables" / "v")
    asked = []

    @disk_cache.kept_on_disk(Table)
    def table(name):
        asked.append(name)
        return GRID

    @disk_cache.kept_on_disk(tuple)
    def pair(name):
        return (0.25, 3.0)

    one, two = table("a"), table("a")
    assert asked == ["a"] and np.array_equal(one.grid, two.grid) and (two.side, two.scale) == (GRID.side, GRID.scale)
    assert pair("a") == pair("a") == (0.25, 3.0)
    (kept,) = (tmp_path / "tables" / "v").glob("table-*")
    kept.write_bytes(kept.read_bytes()[:100])
    assert np.array_equal(table("a").grid, GRID.grid) and asked == ["a", "a"]
    monkeypatch.setattr(disk_cache, "_LARGEST", 10)
    table("b")
    assert not list((tmp_path / "tables" / "v").iterdir())
    monkeypatch.setattr(disk_cache, "_folder", lambda: tmp_path / "file" / "v")
    (tmp_path / "file").write_text("no folder")
    assert np.array_equal(table("c").grid, GRID.grid), "a disk that takes none"
