"""The loops over pixels that a window runs first, brought up before they are needed.

Set-up compiles them once; a program that starts loads them in an idle moment, and compiles anew those whose source is another since.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from velkin.app.widgets import solid_raster
from velkin.core.cameraprofiles.applying import apply_colours
from velkin.core.cameraprofiles.models import RootPolynomial
from velkin.core.compiled import load_compiler
from velkin.core.conversion.codes import codes_of_light
from velkin.core.gamut.easing import BRUSHED, DETAIL, Place, Stroke, full_strength, new_easing
from velkin.core.icc.space import plain_ink
from velkin.core.measures import measure_proof
from velkin.core.path import path_of
from velkin.core.render import for_screen
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.source import PictureSource


def warm_up() -> None:
    """Run each loop on a handful of pixels."""
    load_compiler()
    identity = RootPolynomial(((1.0, 0.0, 0.0, 0.0, 0.0, 0.0), (0.0, 1.0, 0.0, 0.0, 0.0, 0.0), (0.0, 0.0, 1.0, 0.0, 0.0, 0.0)))
    apply_colours(np.ones((1, 3), dtype=np.float32), identity, np.eye(3))
    picture = np.random.default_rng(1).random((80, 90, 3)).astype(np.float32)
    brushed = Place(BRUSHED, strokes=(Stroke(((0.5, 0.5, 1.0),)),), painted_on=(90, 80))
    easings = (replace(full_strength()[0], place=brushed), new_easing(DETAIL))
    for destination in (SRGB, plain_ink()):
        path = path_of(PictureSource(ROMM), ROMM, destination)
        measure_proof(picture, path)
        for_screen(picture, path, SRGB, proofed=True)
    for bits in (8, 16):
        codes_of_light(picture, SRGB, bits, dither=bits == 8)
    measure_proof(picture, path_of(PictureSource(ROMM), ROMM, SRGB).eased_by(*easings))
    image = np.zeros((8, 8, 3), np.uint8)
    quads = np.array([[[1, 1], [6, 1], [6, 6], [1, 6]]], np.float32)
    colour = np.zeros((1, 3), np.uint8)
    solid_raster.fill(image, quads, colour, np.ones(1, np.float32))
    solid_raster.dots(image, quads[0], np.zeros((4, 3), np.uint8), np.ones(4, np.bool_), np.uint8(0))
