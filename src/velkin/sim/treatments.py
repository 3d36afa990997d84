"""Treatments that pictures were given, and how such a picture may be spoilt on its way."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.match.pair import chroma, coordinates, oklab_at
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


def faded(x: Floats) -> Floats:
    """A treatment of coordinates (N, 3): lifted blacks, warm lights, cool shadows, more chroma."""
    light = x[:, 0] / 100.0
    toned = 100.0 * (np.maximum(light, 0.0) ** 0.9 * 0.95 + 0.03)
    return np.stack([toned, 1.2 * x[:, 1] + 6.0 * (1.0 - light), 1.1 * x[:, 2] - 4.0 * (1.0 - light) + 5.0 * light], axis=1)


def turned(x: Floats) -> Floats:
    """A treatment of coordinates (N, 3): hues turned, chroma by hue, an s-shaped tone."""
    hue, size, light = np.arctan2(x[:, 2], x[:, 1]), chroma(x), np.clip(x[:, 0] / 100.0, 0.0, 1.0)
    way, strong = hue + 0.25 * np.sin(2.0 * hue), size * (1.0 + 0.2 * np.cos(hue))
    toned = 100.0 * (0.4 * (3.0 * light**2 - 2.0 * light**3) + 0.6 * light)
    return np.stack([toned, strong * np.cos(way), strong * np.sin(way)], axis=1)


TREATMENTS = {"faded": faded, "turned": turned}


def treated(picture: Pixels, treatment: str) -> Pixels:
    """A picture, linear ROMM RGB (H, W, 3), treated and cut to 0..1."""
    x = coordinates(xyz_to_oklab(np.maximum(picture.reshape(-1, 3).astype(np.float64), 0.0) @ ROMM.to_xyz.T))
    linear = oklab_to_xyz(oklab_at(TREATMENTS[treatment](x))) @ ROMM.from_xyz.T
    return np.clip(linear, 0.0, 1.0).reshape(picture.shape).astype(np.float32)


def spoilt(picture: Pixels, seed: int = 0) -> Pixels:
    """A picture 2 px off, 1 % larger, with 1 % noise, after JPEG of quality 80."""
    height, width = picture.shape[:2]
    matrix = np.array([[1.01, 0.0, 2.0], [0.0, 1.01, -2.0]], dtype=np.float32)
    moved = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    noisy = np.clip(moved * (1.0 + 0.01 * np.random.default_rng(seed).standard_normal(moved.shape)), 0.0, 1.0)
    codes = np.round(ROMM.encode(noisy) * 255.0).astype(np.uint8)
    data = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
    read = np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))
    return np.asarray(ROMM.decode(read[..., ::-1] / 255.0), dtype=np.float32)
