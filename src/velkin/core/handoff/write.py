"""Rendering one frame for one destination: resized in linear light, encoded, tagged, written whole, checked."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.files.encode import jpeg_bytes
from velkin.core.files.metadata import carry_into
from velkin.core.files.safely import write_whole
from velkin.core.files.source import decode_source
from velkin.core.handoff.check import Check, check_jpeg
from velkin.core.handoff.destination import Destination
from velkin.core.icc.write import matrix_profile
from velkin.core.path import CameraStage, ColourPath
from velkin.core.render import eased, encode_8bit, to_space, to_working

Pixels = NDArray[np.float32]


@dataclass(frozen=True)
class Written:
    """One file handed off."""

    out: Path
    check: Check


def fitted_size(width: int, height: int, long_edge: int) -> tuple[int, int]:
    """Size of a picture whose longest side is at most `long_edge` (0: as it is); never enlarged."""
    longest = max(width, height)
    if not long_edge or longest <= long_edge:
        return width, height
    scale = long_edge / longest
    return max(round(width * scale), 1), max(round(height * scale), 1)


def render_frame(source: Path, path: ColourPath, destination: Destination) -> Pixels:
    """A frame's unclipped linear RGB in the destination's space, at its size."""
    pixels = decode_source(source, path.camera)
    height, width = pixels.shape[:2]
    size = fitted_size(width, height, destination.long_edge)
    # resizing commutes with a raw path's matrices, so that it is done once, first, on linear camera numbers
    linear = isinstance(path.camera, CameraStage) and not path.steps
    if not linear:
        pixels = to_working(pixels, path)
    if size != (width, height):
        pixels = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    working = to_working(pixels, path) if linear else pixels
    return to_space(eased(working, path), path, destination.space)


def hand_off_frame(source: Path, path: ColourPath, destination: Destination, out: Path, replace: bool = False) -> Written:
    """Write one frame for one destination and check the file by reading it back.

    Raises
    ------
    UnreadableFile
        When the source is gone or damaged.
    OutputRefused, OutputFailed
        When the file must not or cannot be written; nothing is left under its name.
    """
    space = destination.space
    pixels = encode_8bit(render_frame(source, path, destination), space)
    profile = matrix_profile(space)
    size = (pixels.shape[1], pixels.shape[0])
    data = carry_into(jpeg_bytes(pixels, profile, destination.quality), source, space.id == "srgb", size)
    write_whole(out, data, replace)
    return Written(out, check_jpeg(out, pixels, space, profile))
