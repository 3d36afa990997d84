"""What a session may need later, brought up before it is asked for: benches, rooms, and the loops over pixels.

Set-up compiles all of it once; a program that starts loads it in an idle moment, and compiles anew what is another since.
"""

from __future__ import annotations

from importlib import import_module

from PyQt6.QtCore import QLocale

from velkin import dataclass_code
from velkin.app.benches.benches import load_benches
from velkin.app.navigator import load_rooms
from velkin.core.compiled import LOOPS
from velkin.core.shoot.records import prepare_records

#: Where loops are; those that a picture on the screen needs come first.
MODULES = (
    "velkin.core.conversion.kernels",
    "velkin.core.cameraprofiles.highlights",
    "velkin.core.cameraprofiles.proportions",
    "velkin.core.cameraprofiles.applying",
    "velkin.core.cameraprofiles.dng_maps",
    "velkin.core.spaces.kernels",
    "velkin.core.gamut.kernels",
    "velkin.app.widgets.solid_raster",
    "velkin.core.match.kernels",
    "velkin.core.files.layers.blending",
    "velkin.core.files.layers.png_rows",
)


#: What reads files that come in, and what writes those that go out.
FILES = ("velkin.core.tags.inspect", "velkin.core.files.source_contents", "velkin.core.handoff.run")


def warm_up() -> None:
    """Load benches, rooms and what reads and writes files, and each loop for all that it runs over; the first time after an installation takes some seconds."""
    prepare_records()
    load_benches()
    load_rooms()
    for module in FILES:
        import_module(module)
    QLocale().decimalPoint()  # the first time of day that is written has the binding make names of all languages and countries
    dataclass_code.keep()
    for module in MODULES:
        import_module(module)
    for loop in list(LOOPS):
        for signature in loop.signatures:
            loop.prepare(signature)
