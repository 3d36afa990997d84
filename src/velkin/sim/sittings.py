"""What was shot for the demo: each camera under each light, frame by frame, with what makes the frame what it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import partial

from velkin.core.shoot.frame import Role
from velkin.sim import arrangements as lie
from velkin.sim.arrangements import HEIGHT, WIDTH, Drawing
from velkin.sim.camera import Camera, field_two
from velkin.sim.lights import StudioLight, low_sun, north_window, warm_led, weaving_lamp


@dataclass(frozen=True)
class Frame:
    """One frame as it was shot.

    Attributes
    ----------
    name : str
        Of its file, without suffix.
    draw : callable
        Draws what lies before the lens.
    minutes : int
        After the first frame of the demo.
    seed : int
        Of the ground's texture and the sensor's noise, and the second of the minute.
    role : Role
        Which the demo's shoot marks it with.
    falls : (float, float)
        Shares of the light lost from left to right and from top to bottom.
    level : float, optional
        Green of a lit white where the frame is not exposed as its sitting is.
    light : callable, optional
        Its light, where that moves.
    aperture : float
    """

    name: str
    draw: Drawing
    minutes: int
    seed: int
    role: Role = Role.SUBJECT
    falls: tuple[float, float] = (0.16, 0.10)
    level: float | None = None
    light: Callable[[], StudioLight] | None = None
    aperture: float = 8.0


@dataclass(frozen=True)
class Sitting:
    """What one camera shot under one light.

    Attributes
    ----------
    name : str
        What the photographer calls the light.
    folder : str
        Where its files lie, beside those of other folders.
    light : callable
        Makes the light.
    level : float
        Green of a lit white, as exposed.
    shutter : Fraction
        Seconds.
    frames : tuple of Frame
    camera : callable
        Makes the camera.
    vignetting : float
        Share of light that the lens takes in the corners.
    size : (int, int)
        Pixels across and down.
    """

    name: str
    folder: str
    light: Callable[[], StudioLight]
    level: float
    shutter: Fraction
    frames: tuple[Frame, ...]
    camera: Callable[[], Camera] = Camera
    vignetting: float = 0.05
    size: tuple[int, int] = (WIDTH, HEIGHT)


#: How light falls where it falls hardly at all.
_CALM = (0.030, -0.020)
#: Where the shoot's first frames lie.
FIRST = "frames"

NORTH = Sitting(
    "North window",
    FIRST,
    north_window,
    0.74,
    Fraction(1, 60),
    (
        Frame("north-0401", lie.north_chart, 0, 401, Role.CHART, _CALM),
        Frame("north-0402", lie.neutral(-3.0), 1, 402, Role.NEUTRAL, _CALM),
        Frame("north-0412", lie.six_skeins, 9, 412),
        Frame("north-0413", lie.one("magenta", 2), 12, 413),
        Frame("north-0414", lie.several((0.34, 0.5, 8, "teal", 5), (0.68, 0.5, -6, "indigo", 23)), 15, 414),
        Frame(
            "north-0415",
            lie.several((0.24, 0.5, 8, "ochre", 8), (0.5, 0.5, 0, "rust", 15), (0.77, 0.5, -7, "moss", 19)),
            18,
            415,
        ),
    ),
)

LAMP = Sitting(
    "Weaving lamp",
    FIRST,
    weaving_lamp,
    0.56,
    Fraction(1, 25),
    (
        Frame("lamp-0501", lie.lamp_chart, 95, 501, Role.CHART, _CALM),
        Frame("lamp-0502", lie.neutral(4.0), 96, 502, Role.NEUTRAL, _CALM),
        Frame("lamp-0505", lie.several((0.34, 0.5, 6, "rust", 33), (0.67, 0.5, -8, "plum", 35)), 104, 505, falls=_CALM),
        Frame("lamp-0506", lie.gingham, 108, 506, falls=_CALM),
        Frame("lamp-0507", lie.orange_twill, 111, 507, falls=_CALM),
        Frame("lamp-0508", lie.two_cloths, 115, 508, falls=_CALM),
    ),
)

#: Chart frames gone wrong, made beside the shoot's own, to try the judgements on: glare, a shadow across, light that falls off.
FAULTS = Sitting(
    "Faults",
    "faults",
    north_window,
    0.74,
    Fraction(1, 60),
    (
        Frame("north-0497", lie.glaring_chart, 2, 497, falls=_CALM),
        Frame("north-0498", lie.shadowed_chart, 3, 498, falls=_CALM),
        Frame("north-0499", lie.north_chart, 4, 499, falls=(0.75, 0.25)),
    ),
)

#: The same bench under the north window, by a second camera.
SECOND = Sitting(
    "North window, second camera",
    "second camera",
    north_window,
    0.74,
    Fraction(1, 60),
    (
        Frame("field-0201", lie.north_chart, 40, 201, Role.CHART, _CALM),
        Frame("field-0203", lie.six_skeins, 44, 203),
        Frame("field-0205", lie.doll, 47, 205),
    ),
    field_two,
)

#: Skeins drying outside while the sun goes down: three charts, a frame between each two, and one after the last.
YARD = Sitting(
    "Dye yard, evening sun",
    "dye yard",
    partial(low_sun, 5200.0),
    0.72,
    Fraction(1, 125),
    (
        Frame("yard-0601", lie.yard_chart, 360, 601, Role.CHART, _CALM),
        Frame("yard-0603", lie.six_skeins, 375, 603, level=0.69, light=partial(low_sun, 4850.0)),
        Frame("yard-0604", lie.yard_chart, 395, 604, Role.CHART, _CALM, 0.64, partial(low_sun, 4400.0)),
        Frame("yard-0607", lie.one("ochre", 8, 62), 410, 607, level=0.60, light=partial(low_sun, 4050.0)),
        Frame("yard-0608", lie.two_cloths, 419, 608, level=0.57, light=partial(low_sun, 3850.0)),
        Frame("yard-0610", lie.yard_chart, 431, 610, Role.CHART, _CALM, 0.53, partial(low_sun, 3600.0)),
        Frame("yard-0612", lie.one("rust", 15, 74), 441, 612, level=0.48, light=partial(low_sun, 3400.0)),
    ),
    size=(1800, 1200),
)

#: How light falls on the copying table: one panel at its left, nearer to the top.
_ONE_PANEL = (0.30, 0.20)

#: Sample sheets on the copying table: a chart, a flat frame, two sheets, and one that was shot with the lens wide open.
COPYING = Sitting(
    "Copying table",
    "copying table",
    warm_led,
    0.62,
    Fraction(1, 50),
    (
        Frame("copy-0701", lie.copied_chart, 470, 701, Role.CHART, _ONE_PANEL),
        Frame("copy-0702", lie.board, 472, 702, falls=_ONE_PANEL),
        Frame("copy-0704", lie.sample_sheet("indigo", "moss", "ochre"), 478, 704, falls=_ONE_PANEL),
        Frame("copy-0705", lie.sample_sheet("magenta", "plum", "rust"), 480, 705, falls=_ONE_PANEL),
        Frame("copy-0706", lie.sample_sheet("teal", "orange", "crimson"), 484, 706, falls=(0.36, 0.24), aperture=4.0),
    ),
    vignetting=0.22,
    size=(1800, 1200),
)

#: All that is made.
EVERY = (NORTH, LAMP, FAULTS, SECOND, YARD, COPYING)
