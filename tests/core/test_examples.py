"""The examples in the docstrings of the core's public functions, run as they stand there."""

import doctest
import pkgutil
from importlib import import_module

import pytest

ROOMS = ("spaces", "icc", "charts", "cameraprofiles", "gamut", "conversion")
MODULES = [
    m.name
    for room in ROOMS
    for m in pkgutil.iter_modules(import_module(f"velkin.core.{room}").__path__, f"velkin.core.{room}.")
]
FINDER = doctest.DocTestFinder()


@pytest.mark.parametrize("name", ["velkin.core.cache", *MODULES])
def test_examples_hold(name):
    module = import_module(name)
    found = doctest.testmod(module, verbose=False)
    assert found.failed == 0, f"{found.failed} of {found.attempted} examples in {name}"


def test_every_room_of_the_library_shows_how_it_is_used():
    for room in ROOMS[:-1]:
        inside = [name for name in MODULES if name.startswith(f"velkin.core.{room}.")]
        examples = sum(len(t.examples) for name in inside for t in FINDER.find(import_module(name)))
        assert examples >= 10, room
