"""How the things lie that the demo's frames show: charts, cards, skeins, cloth, a doll; each a function that draws on a scene.

Places are shares of the frame, but for the corners of charts, which are pixels of a frame `WIDTH` wide and go with its scale.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.built_in import iso24
from velkin.sim.scenes import Scene

Floats = NDArray[np.float64]
Drawing = Callable[[Scene], None]

#: The size of the frames that the corners of charts are told for.
WIDTH, HEIGHT = 2400, 1600


def tilted_corners(
    centre: tuple[float, float], width: float, aspect: float, turn: float, tilt: float, lean: float = 0.0
) -> Floats:
    """Corners (4, 2) in pixels of a flat rectangle seen by a camera four widths away.

    `turn` rotates it in the picture, `tilt` about its horizontal and `lean` about its vertical axis, in degrees; `width` in pixels.
    """
    x, y = width / 2, width / aspect / 2
    points = np.array([[-x, -y, 0], [x, -y, 0], [x, y, 0], [-x, y, 0]], dtype=np.float64)
    a, b, c = np.deg2rad([turn, tilt, lean])
    about_x = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    about_y = np.array([[np.cos(c), 0, np.sin(c)], [0, 1, 0], [-np.sin(c), 0, np.cos(c)]])
    about_z = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
    points = points @ (about_z @ about_y @ about_x).T
    distance = 4 * width
    scale = distance / (distance + points[:, 2:3])
    return np.asarray(points[:, :2] * scale + np.array(centre))


def chart_corners(light: str) -> Floats:
    """Where the chart lies in the chart frame of each light, (4, 2) in pixels."""
    if light == "north":
        return tilted_corners((1230, 800), 1180, iso24().aspect, -5.0, 14.0, 6.0)
    return tilted_corners((1180, 810), 1120, iso24().aspect, 7.0, -16.0, -8.0)


def north_chart(s: Scene) -> None:
    s.table()
    s.skein(0.06, 0.45, 12, 1.05, 0.26, "magenta", 2)
    s.skein(0.93, 0.70, -20, 0.80, 0.24, "teal", 5)
    s.chart(iso24(), chart_corners("north"))


def glaring_chart(s: Scene) -> None:
    """The chart, with a few patches that mirror the light."""
    north_chart(s)
    corners = chart_corners("north")
    middle, pitch = corners.mean(axis=0), float(np.linalg.norm(corners[1] - corners[0])) / 6
    s.glare((float(middle[0] + 1.6 * pitch), float(middle[1] - 0.6 * pitch)), 0.9 * pitch, 0.14)


def shadowed_chart(s: Scene) -> None:
    """The chart, half of it in a shadow."""
    north_chart(s)
    corners = chart_corners("north")
    middle, pitch = corners.mean(axis=0), float(np.linalg.norm(corners[1] - corners[0])) / 6
    s.cast_shadow((float(middle[0] + 0.7 * pitch), float(middle[1])), 24.0, 0.42, 0.05 * pitch)


def yard_chart(s: Scene) -> None:
    """The chart on the drying bench."""
    s.table()
    s.skein(0.05, 0.60, -14, 0.95, 0.25, "ochre", 8)
    s.skein(0.94, 0.42, 16, 0.90, 0.24, "rust", 14)
    s.chart(iso24(), tilted_corners((0.5 * s.width, 0.5 * s.height), 0.48 * s.width, iso24().aspect, 4.0, -12.0, 7.0))


def copied_chart(s: Scene) -> None:
    """The chart flat on the copying table, the camera straight above."""
    s.paper(0.36)
    s.chart(iso24(), tilted_corners((0.5 * s.width, 0.5 * s.height), 0.46 * s.width, iso24().aspect, -1.0, 1.0))


def board(s: Scene) -> None:
    """An even white board that fills the frame."""
    s.board(0.88)


def sample_sheet(*baths: str) -> Drawing:
    """A white sheet with woven samples in a row."""

    def draw(s: Scene) -> None:
        s.board(0.80)
        for place, bath in enumerate(baths):
            weave = ("plain", "twill", "herringbone", "basket")[place % 4]
            s.cloth(0.2 + 0.3 * place, 0.5, (-2, 1.5, -1)[place % 3], 0.25, 0.62, (bath,), (bath, "natural"), weave, 80 + place)

    return draw


def lamp_chart(s: Scene) -> None:
    s.table()
    s.skein(0.05, 0.30, 20, 0.95, 0.25, "crimson", 12)
    s.skein(0.80, 0.06, 78, 0.95, 0.24, "ochre", 8)
    s.skein(0.95, 0.80, -8, 0.70, 0.22, "teal", 5)
    s.chart(iso24(), chart_corners("lamp"))


def neutral(turn: float) -> Drawing:
    def draw(s: Scene) -> None:
        s.paper(0.36)
        s.card(tilted_corners((s.width / 2, s.height / 2), 0.62 * s.width, 1.45, turn, 8.0))

    return draw


def six_skeins(s: Scene) -> None:
    s.paper()
    for cx, cy, angle, bath, seed in (
        (0.885, 0.50, -8, "indigo", 21),
        (0.115, 0.51, 8, "rust", 14),
        (0.735, 0.49, -5, "teal", 5),
        (0.265, 0.49, 5, "ochre", 8),
        (0.575, 0.515, -1.5, "natural", 31),
        (0.420, 0.50, 2, "magenta", 2),
    ):
        s.skein(cx, cy, angle, 0.90, 0.245, bath, seed)


def one(bath: str, seed: int, angle: float = 68) -> Drawing:
    def draw(s: Scene) -> None:
        s.paper()
        s.skein(0.5, 0.5, angle, 1.05, 0.34, bath, seed, depth=(0.6, 3.0))

    return draw


def several(*skeins: tuple[float, float, float, str, int]) -> Drawing:
    def draw(s: Scene) -> None:
        s.paper()
        for cx, cy, angle, bath, seed in skeins:
            s.skein(cx, cy, angle, 0.90, 0.32, bath, seed)

    return draw


def gingham(s: Scene) -> None:
    s.paper()
    s.cloth(0.5, 0.5, 4, 0.62, 0.44, ("indigo", "natural"), ("indigo", "natural"), "plain", 61, stripes=10)


def orange_twill(s: Scene) -> None:
    s.paper()
    s.cloth(0.5, 0.5, -4, 0.56, 0.44, ("orange",), ("ochre",), "herringbone", 62)


def two_cloths(s: Scene) -> None:
    s.paper()
    s.cloth(0.33, 0.48, 6, 0.42, 0.46, ("moss",), ("ochre",), "twill", 63)
    s.cloth(0.70, 0.54, -7, 0.36, 0.46, ("magenta",), ("plum",), "basket", 64)


def doll(s: Scene) -> None:
    """A doll of dyed felt, whose face stands in for skin: arms, dress, face, cheeks, hair, eyes."""
    s.paper()
    for cx, turn in ((0.37, 1), (0.63, 2)):
        s.felt(cx, 0.66, 0.14, 0.30, "skin", 70 + turn)
    s.cloth(0.5, 0.84, 0, 0.24, 0.30, ("teal",), ("natural", "teal"), "plain", 66, stripes=8)
    s.felt(0.5, 0.30, 0.62, 0.56, "rust", 67)
    s.felt(0.5, 0.38, 0.50, 0.56, "skin", 68)
    for cx in (0.44, 0.56):
        s.felt(cx, 0.45, 0.12, 0.10, "skin", 73, 1.9)
        s.felt(cx, 0.36, 0.045, 0.06, "plum", 74, 2.2)
    s.felt(0.5, 0.53, 0.13, 0.035, "crimson", 75)
