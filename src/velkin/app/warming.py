"""The loops over pixels, brought up before they are needed.

Set-up compiles them once; a program that starts loads them in an idle moment, and compiles anew those that are others since.
"""

from __future__ import annotations

from importlib import import_module

from velkin.core.compiled import LOOPS

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


def warm_up() -> None:
    """Load each loop, for all that it runs over, or compile it."""
    for module in MODULES:
        import_module(module)
    for loop in list(LOOPS):
        for signature in loop.signatures:
            loop.prepare(signature)
