"""Loops as they are written and as they are compiled: the same bits; and results that are kept on the disk."""

from __future__ import annotations

import os
import re
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest

import velkin
from velkin.app.warming import MODULES, warm_up
from velkin.core import compiled, disk_cache
from velkin.core.compiled import LOOPS, Loop, exact_loop
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


def as_written(loop):
    return loop.with_called(as_written)


@pytest.mark.parametrize("name", sorted(CASES))
def test_a_loop_gives_the_same_bits_as_it_is_written_and_compiled(name):
    loop: Loop = getattr(kernels, name)
    done = []
    for way in (as_written(loop), loop):
        arguments = [a.copy() if isinstance(a, np.ndarray) else a for a in CASES[name]]
        with np.errstate(all="ignore"):
            way(*arguments)
        done.append(arguments)
    for a, b in zip(*done, strict=True):
        assert (
            np.array_equal(a, b, equal_nan=True) if isinstance(a, np.ndarray) and a.dtype.kind == "f" else np.array_equal(a, b)
        )


@pytest.fixture
def shelves(tmp_path, monkeypatch):
    """Folders for code, of which the first cannot be written."""
    (tmp_path / "no folder").write_text("a file")
    monkeypatch.setattr(compiled, "_folders", lambda: [tmp_path / "no folder" / "loops", tmp_path / "loops"])
    return tmp_path / "loops"


def scaled(values, times, out):
    for i in range(values.shape[0]):
        out[i] = values[i] * times


def run_of(loop, given=(1.5, 2.0, 3.0), times=2.0):
    out = np.zeros(len(given))
    loop(np.array(given), times, out)
    return out.tolist()


def test_a_loop_is_compiled_once_and_its_code_kept_for_the_next_start(shelves, monkeypatch):
    assert run_of(exact_loop()(scaled)) == [3.0, 4.0, 6.0]
    (kept,) = shelves.iterdir()
    monkeypatch.setattr(compiled, "_compiler", lambda: pytest.fail("compiled again"))
    assert run_of(exact_loop()(scaled), times=-1.0) == [-1.5, -2.0, -3.0]
    monkeypatch.undo()
    monkeypatch.setattr(compiled, "_folders", lambda: [shelves])
    kept.write_bytes(kept.read_bytes()[:-100])
    assert run_of(exact_loop()(scaled)) == [3.0, 4.0, 6.0]
    assert [p.name for p in shelves.iterdir()] == [kept.name], "code that is not whole is made anew"


def test_another_code_or_another_constant_is_another_loop(shelves):
    def made(text, constant):
        world = {"CONSTANT": constant}
        exec(f"def scaled(values, times, out):\n    for i in range(len(values)):\n        out[i] = {text}", world)
        return exact_loop()(world["scaled"])

    assert run_of(made("values[i] + CONSTANT", 1.0))[0] == 2.5
    assert run_of(made("values[i] + CONSTANT", 2.0))[0] == 3.5
    assert run_of(made("values[i] - CONSTANT", 2.0))[0] == -0.5
    assert len(list(shelves.iterdir())) == 3


def test_arrays_that_are_not_contiguous_are_run_over_all_the_same(shelves):
    out = np.zeros((3, 2))
    exact_loop()(scaled)(np.arange(6.0)[::2], 3.0, out[:, 1])
    assert out.tolist() == [[0, 0], [0, 6], [0, 12]]


def test_a_loop_that_makes_arrays_is_refused_when_it_is_compiled(shelves):
    def making(values):
        values[0] = np.zeros(3)[0]

    with pytest.raises(Exception, match="zeros"):
        exact_loop()(making)(np.zeros(3))


def test_set_up_compiles_every_loop_there_is():
    source = Path(velkin.__file__).parent
    marked = {p for p in source.rglob("*.py") if re.search(r"^@(exact_)?loop\(\"", p.read_text(), re.M)}
    assert {Path(import_module(m).__file__) for m in MODULES} == marked
    warm_up()
    assert all(set(loop.signatures) <= set(loop.ready) for loop in LOOPS)


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


def test_bytes_kept_by_name_take_no_more_than_their_room(tmp_path, monkeypatch):
    monkeypatch.setattr(disk_cache, "_LARGEST_OF_BYTES", 250)
    for number in range(4):
        assert disk_cache.keep_bytes(tmp_path / f"{number}.code", bytes(68))
        os.utime(tmp_path / f"{number}.code", (number, number))
    assert sorted(p.name for p in tmp_path.iterdir()) == ["2.code", "3.code"]
    assert disk_cache.kept_bytes(tmp_path / "3.code") == bytes(68) and disk_cache.kept_bytes(tmp_path / "0.code") is None
