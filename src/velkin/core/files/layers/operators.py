"""The operators that layers are put on with: OpenRaster's names for those of the W3C's "Compositing and Blending Level 1".

Each is a blend function, which mixes a layer's colour with the one below it, and a composite operator, which says how much of each is seen.
"""

from __future__ import annotations

from enum import Enum, IntEnum


class Blend(IntEnum):
    """Blend functions, section 10 of the standard."""

    NORMAL = 0
    MULTIPLY = 1
    SCREEN = 2
    OVERLAY = 3
    DARKEN = 4
    LIGHTEN = 5
    COLOR_DODGE = 6
    COLOR_BURN = 7
    HARD_LIGHT = 8
    SOFT_LIGHT = 9
    DIFFERENCE = 10
    # those that take the three channels together
    HUE = 11
    SATURATION = 12
    COLOR = 13
    LUMINOSITY = 14


class Composite(IntEnum):
    """Composite operators, section 9 of the standard, those that OpenRaster names."""

    OVER = 0
    PLUS = 1
    DESTINATION_IN = 2
    DESTINATION_OUT = 3
    ATOP = 4
    DESTINATION_ATOP = 5


class Operator(Enum):
    """An operator by its name in the format: the words for it, its blend function, its composite operator."""

    SRC_OVER = ("normal", Blend.NORMAL, Composite.OVER)
    MULTIPLY = ("multiply", Blend.MULTIPLY, Composite.OVER)
    SCREEN = ("screen", Blend.SCREEN, Composite.OVER)
    OVERLAY = ("overlay", Blend.OVERLAY, Composite.OVER)
    DARKEN = ("darken", Blend.DARKEN, Composite.OVER)
    LIGHTEN = ("lighten", Blend.LIGHTEN, Composite.OVER)
    COLOR_DODGE = ("color dodge", Blend.COLOR_DODGE, Composite.OVER)
    COLOR_BURN = ("color burn", Blend.COLOR_BURN, Composite.OVER)
    HARD_LIGHT = ("hard light", Blend.HARD_LIGHT, Composite.OVER)
    SOFT_LIGHT = ("soft light", Blend.SOFT_LIGHT, Composite.OVER)
    DIFFERENCE = ("difference", Blend.DIFFERENCE, Composite.OVER)
    HUE = ("hue", Blend.HUE, Composite.OVER)
    SATURATION = ("saturation", Blend.SATURATION, Composite.OVER)
    COLOR = ("color", Blend.COLOR, Composite.OVER)
    LUMINOSITY = ("luminosity", Blend.LUMINOSITY, Composite.OVER)
    PLUS = ("plus", Blend.NORMAL, Composite.PLUS)
    DST_IN = ("destination in", Blend.NORMAL, Composite.DESTINATION_IN)
    DST_OUT = ("destination out", Blend.NORMAL, Composite.DESTINATION_OUT)
    SRC_ATOP = ("source atop", Blend.NORMAL, Composite.ATOP)
    DST_ATOP = ("destination atop", Blend.NORMAL, Composite.DESTINATION_ATOP)

    def __init__(self, words: str, blend: Blend, composite: Composite) -> None:
        self.words, self.blend, self.composite = words, blend, composite

    @property
    def svg(self) -> str:
        """Its name in the format."""
        return "svg:" + self.name.lower().replace("_", "-")

    @property
    def clears_beyond(self) -> bool:
        """Whether it also acts where the layer has no pixels."""
        return self.composite in (Composite.DESTINATION_IN, Composite.DESTINATION_ATOP)


BY_NAME = {o.svg: o for o in Operator}
