"""A layered picture, as Madderfold's designer sends it: a poster of the spring range in OpenRaster, nothing in it out of any gamut."""

from __future__ import annotations

import tempfile
import zipfile
from io import BytesIO
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.files.layers.archive import MERGED, MIMETYPE, STACK, THUMBNAIL
from velkin.core.files.layers.picture import opened
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import SRGB

Pixels = NDArray[np.float32]
Codes = NDArray[np.uint8]

_STACK = """<?xml version='1.0' encoding='UTF-8'?>
<image version="0.0.5" w="{width}" h="{height}" xres="150" yres="150"><stack>
 <stack name="Title" isolation="isolate" opacity="0.9">
  <layer name="Letters" src="data/letters.png" x="{left}" y="{top}"/>
  <layer name="Band" src="data/band.png" x="0" y="{top}" opacity="0.7"/>
 </stack>
 <layer name="Evening" src="data/evening.png" composite-op="svg:soft-light"/>
 <layer name="Mist" src="data/mist.png" opacity="0.8"/>
 <layer name="First draft" src="data/evening.png" composite-op="svg:overlay" visibility="hidden"/>
 <layer name="Wool" src="data/wool.png"/>
</stack></image>
"""


def poster(linear: Pixels) -> bytes:
    """The poster as a file, of a photograph in linear sRGB (H, W, 3), 0..1."""
    wool = _calm(linear)
    height, width = wool.shape[:2]
    down, across = np.linspace(0, 1, height)[:, None], np.linspace(0, 1, width)[None, :]
    mist = _layer((236, 238, 242), np.clip(0.9 - 0.75 * down, 0, 1) * (0.75 + 0.25 * np.cos(3 * across)))
    evening = _layer((176, 92, 40), np.clip(0.55 + down - 0.3 * across, 0, 1))
    band_height = height // 6
    band = _layer((38, 40, 44), np.full((band_height, width), 1.0))
    letters = _letters(width - width // 8, band_height)
    parts = {"wool": _opaque(wool), "mist": mist, "evening": evening, "band": band, "letters": letters}
    stack = _STACK.format(width=width, height=height, left=width // 16, top=height - band_height - height // 12)
    named = {f"data/{name}.png": bytes(imagecodecs.png_encode(part)) for name, part in parts.items()}
    return _archive(stack, {**named, **_merged(_archive(stack, named))})


def _calm(linear: Pixels) -> Codes:
    """A photograph whose colours every space holds with room to spare."""
    lab = xyz_to_oklab(np.clip(linear, 0, 1).astype(np.float64) @ SRGB.to_xyz.T)
    lab[..., 1:] *= 0.55
    lab[..., 0] = 0.12 + 0.78 * np.clip(lab[..., 0], 0, 1)
    return np.rint(255 * np.clip(SRGB.encode(oklab_to_xyz(lab) @ SRGB.from_xyz.T), 0.02, 0.98)).astype(np.uint8)


def _opaque(codes: Codes) -> Codes:
    return np.ascontiguousarray(np.dstack([codes, np.full(codes.shape[:2], 255, dtype=np.uint8)]))


def _layer(colour: tuple[int, int, int], alpha: NDArray[np.float64]) -> Codes:
    out = np.empty((*alpha.shape, 4), dtype=np.uint8)
    out[..., :3] = colour
    out[..., 3] = np.rint(255 * alpha)
    return out


def _letters(width: int, height: int) -> Codes:
    ink = np.zeros((height, width), dtype=np.uint8)
    cv2.putText(
        ink,
        "MADDERFOLD  SPRING",
        (0, round(height * 0.66)),
        cv2.FONT_HERSHEY_DUPLEX,
        width / 380,
        255,
        max(width // 380, 1),
        cv2.LINE_AA,
    )
    return _layer((232, 224, 208), ink / 255)


def _archive(stack: str, parts: dict[str, bytes]) -> bytes:
    out = BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in {"mimetype": MIMETYPE, STACK: stack.encode(), **parts}.items():
            archive.writestr(zipfile.ZipInfo(name), data)
    return out.getvalue()


def _merged(data: bytes) -> dict[str, bytes]:
    """The merged picture and the small one that the format asks for."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "poster.ora"
        path.write_bytes(data)
        with opened(path) as layered:
            full = np.rint(layered.merged()[..., :3] / 257.0).astype(np.uint8)
    scale = 256 / max(full.shape[:2])
    small = cv2.resize(full, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return {MERGED: bytes(imagecodecs.png_encode(full)), THUMBNAIL: bytes(imagecodecs.png_encode(small))}
