"""The ΔE map: what a destination loses, as colours from dark (just outside) to light, over the picture in grey."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.path import ColourPath
from velkin.core.render import for_screen
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.rgb import SRGB

Pixels = NDArray[np.float32]

#: ΔE00 at the light end of the map.
TOP = 12.0
#: What takes the place of all that is inside where only the rest is shown.
ONLY_GREY = 96


def ramp(steps: int = 256) -> NDArray[np.uint8]:
    """The map's colours (steps, 3), sRGB: even steps of lightness from a dark blue over red to a light yellow (Oklab)."""
    t = np.linspace(0.0, 1.0, steps)
    hue = np.radians(275.0 + 190.0 * t)
    chroma = 0.10 + 0.09 * np.sin(np.pi * t)
    oklab = np.stack([0.32 + 0.62 * t, chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    linear = np.clip(oklab_to_xyz(oklab) @ SRGB.from_xyz.T, 0.0, 1.0)
    return np.asarray(np.round(255 * SRGB.encode(linear)), dtype=np.uint8)


_RAMP = ramp()


def map_colours(lost: Pixels, outside: NDArray[np.bool_], working: Pixels, path: ColourPath) -> NDArray[np.uint8]:
    """The map (H, W, 3) uint8: what is outside by its ΔE00, the rest as a dim grey picture."""
    grey = for_screen(working, path, SRGB).astype(np.float32) @ np.array([0.21, 0.72, 0.07], dtype=np.float32)
    out = np.repeat((56.0 + 0.45 * grey)[..., None], 3, axis=-1).astype(np.uint8)
    out[outside] = _RAMP[np.clip(lost[outside] * (255.0 / TOP), 0, 255).astype(np.uint8)]
    return out
