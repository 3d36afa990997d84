"""The plot of the gamut room: chromaticities, a slice of Lab, or turning solids. It knows only what it is shown.

Lines and frames are in the theme's ink, told apart by their dashes and letters; colour is only that of the colours plotted.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF

from velkin.app import theme
from velkin.app.flow.drawing import to_image
from velkin.app.widgets import solid_raster
from velkin.app.widgets.turning import Turning
from velkin.core.gamut.solid import Solid, chromaticities, uv_prime
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import observer

Floats = NDArray[np.float64]

XY, UV, SLICE, SOLIDS = "xy", "uv", "slice", "solids"
VIEWS = {XY: "x y", UV: "u′ v′", SLICE: "Slice a* b*", SOLIDS: "Solids"}
LINE, GLASS, FULL = "lines", "translucent", "coloured"
STYLES = (LINE, GLASS, FULL)
LETTERS = "ABCDEFGH"
_DASHES: tuple[list[int], ...] = ([], [6, 3], [2, 3], [9, 3, 2, 3], [4, 2], [1, 2], [12, 4], [3, 5])
_REACH = 150.0


@dataclass(frozen=True)
class Shown:
    """One solid as shown: its letter, and how it is drawn in three dimensions."""

    letter: str
    solid: Solid
    style: str = GLASS


@dataclass(frozen=True)
class Points:
    """Colours of a picture: Lab (N, 3), their sRGB codes (N, 3), and which the first solid holds (N,)."""

    lab: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    codes: NDArray[np.uint8] = field(default_factory=lambda: np.zeros((0, 3), np.uint8))
    inside: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, np.bool_))


def codes_of(lab: Floats) -> NDArray[np.uint8]:
    """sRGB codes (..., 3) of Lab (..., 3), clipped, for drawing."""
    linear = np.clip(lab_to_xyz(lab) @ SRGB.from_xyz.T, 0.0, 1.0)
    return np.asarray(np.round(255.0 * SRGB.encode(linear)), dtype=np.uint8)


def slice_image(lightness: float, side: int = 160) -> QImage:
    """The a*b* plane at a lightness in sRGB's colours; grey where sRGB holds none."""
    steps = np.linspace(-_REACH, _REACH, side)
    a, b = np.meshgrid(steps, -steps)
    lab = np.stack([np.full_like(a, lightness), a, b], axis=-1)
    linear = lab_to_xyz(lab) @ SRGB.from_xyz.T
    held = np.all((linear >= 0) & (linear <= 1), axis=-1)
    codes = codes_of(lab)
    codes[~held] = QColor(theme.current().field).red()
    return to_image(codes)


class GamutPlot(Turning):
    """Plots solids and points."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 240)
        self.setAccessibleName("Gamut plot; arrow keys turn the solids, plus and minus zoom, 0 looks from the front again")
        self.view = SLICE
        self.lightness = 50.0
        self.shown: tuple[Shown, ...] = ()
        self.points = Points()
        self.show_points = True
        self._slice: tuple[float, str, QImage] | None = None
        self._quads: dict[str, tuple[Floats, NDArray[np.uint8]]] = {}
        #: Whether it is painted as a drawing, of polygons.
        self.vector = False

    def set_shown(self, shown: tuple[Shown, ...], points: Points) -> None:
        """Show solids and a picture's colours."""
        self.shown, self.points = shown, points
        self.update()

    def set_view(self, view: str) -> None:
        """Choose what is plotted."""
        self.view = view
        self.update()

    def set_lightness(self, lightness: float) -> None:
        """Cut at another lightness."""
        self.lightness = lightness
        self.update()

    @property
    def turns(self) -> bool:
        """Only solids can be turned."""
        return self.view == SOLIDS

    # ---- painting ---------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        self.paint(p, QRectF(self.rect()))

    def paint(self, p: QPainter, rect: QRectF) -> None:
        """Paint the plot into a rectangle, of the window or of a file."""
        p.fillRect(rect, theme.current().colour("field"))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.save()
        p.setClipRect(rect)
        {XY: self._chromaticity, UV: self._chromaticity, SLICE: self._plane, SOLIDS: self._solids}[self.view](p, rect)
        p.restore()

    def _pen(self, index: int) -> QPen:
        pen = QPen(theme.current().colour("ink"), 2.0 if index == 0 else 1.5)
        if _DASHES[index % len(_DASHES)]:
            pen.setDashPattern([float(v) for v in _DASHES[index % len(_DASHES)]])
        return pen

    def _letter(self, p: QPainter, at: QPointF, letter: str) -> None:
        t = theme.current()
        box = QRectF(at.x() - 8, at.y() - 8, 16, 16)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("ink"))
        p.drawRoundedRect(box, 2, 2)
        p.setPen(t.colour("field"))
        p.setFont(theme.font(11, 700))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)

    def _axes(
        self, p: QPainter, rect: QRectF, low: tuple[float, float], high: tuple[float, float], step: float, names: str
    ) -> QRectF:
        """A square frame with its grid; the rectangle that low and high span."""
        side = min(rect.width() - 76, rect.height() - 60)
        box = QRectF(rect.center().x() - side / 2 + 10, rect.center().y() - side / 2 - 8, side, side)
        t = theme.current()
        p.setFont(theme.font(11))
        for axis in (0, 1):
            value = low[axis]
            while value <= high[axis] + 1e-9:
                share = (value - low[axis]) / (high[axis] - low[axis])
                text = f"{value:.1f}" if step < 1 else f"{value:.0f}".replace("-", "\u2212")
                p.setPen(QPen(t.colour("line"), 0.6))
                if axis == 0:
                    x = box.left() + share * side
                    p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
                    where = QRectF(x - 24, box.bottom() + 3, 48, 15)
                    align = Qt.AlignmentFlag.AlignCenter
                else:
                    y = box.bottom() - share * side
                    p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
                    where = QRectF(box.left() - 42, y - 8, 36, 16)
                    align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                p.setPen(t.colour("soft"))
                p.drawText(where, align, text)
                value += step
        first, second = names.split()
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(13, 600))
        p.drawText(QRectF(box.right() - 30, box.bottom() + 18, 40, 18), Qt.AlignmentFlag.AlignCenter, first)
        p.drawText(QRectF(box.left() - 44, box.top() - 22, 40, 18), Qt.AlignmentFlag.AlignCenter, second)
        return box

    def _chromaticity(self, p: QPainter, rect: QRectF) -> None:
        flat = self.view == XY
        low, high = (0.0, 0.0), ((0.9, 0.9) if flat else (0.7, 0.7))
        box = self._axes(p, rect, low, high, 0.1, "x y" if flat else "u′ v′")

        def place(xy: Floats) -> QPolygonF:
            at = xy if flat else uv_prime(xy)
            return QPolygonF(
                [QPointF(box.left() + x / high[0] * box.width(), box.bottom() - y / high[1] * box.height()) for x, y in at]
            )

        matching = observer()
        seen = matching.sum(axis=1) > 1e-3
        locus = matching[seen][:, :2] / matching[seen].sum(axis=1, keepdims=True)
        t = theme.current()
        p.setPen(QPen(t.colour("soft"), 1.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolygon(place(locus))
        if self.show_points and len(self.points.lab):
            xyz = lab_to_xyz(self.points.lab)
            total = xyz.sum(axis=1)
            lit = total > 0.02
            self._dots(p, place(xyz[lit][:, :2] / total[lit][:, None]), lit)
        for index, shown in enumerate(self.shown):
            polygon = place(chromaticities(shown.solid.space))
            if polygon.isEmpty():
                continue
            p.setPen(self._pen(index))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(polygon)
            corner = max((polygon.at(i) for i in range(polygon.count())), key=lambda q: q.x() - (0.35 * index) * q.y())
            self._letter(p, corner + QPointF(11, 0), shown.letter)

    def _dots(self, p: QPainter, at: QPolygonF, which: NDArray[np.bool_]) -> None:
        """Colours inside as dots, those outside as rings."""
        codes, inside = self.points.codes[which], self.points.inside[which]
        ink = theme.current().colour("ink")
        for i in range(at.count()):
            colour = QColor(*(int(v) for v in codes[i]))
            if inside[i]:
                p.fillRect(QRectF(at.at(i).x() - 1, at.at(i).y() - 1, 2.2, 2.2), colour)
            else:
                p.setPen(QPen(ink, 0.8))
                p.setBrush(colour)
                p.drawEllipse(at.at(i), 2.6, 2.6)

    def _plane(self, p: QPainter, rect: QRectF) -> None:
        box = self._axes(p, rect, (-_REACH, -_REACH), (_REACH, _REACH), 50.0, "a* b*")
        key = (self.lightness, theme.current().name)
        if self._slice is None or self._slice[:2] != key:
            self._slice = (*key, slice_image(self.lightness))
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setOpacity(0.85)
        p.drawImage(box, self._slice[2])
        p.setOpacity(1.0)

        def place(ab: Floats) -> QPolygonF:
            scale = box.width() / (2 * _REACH)
            return QPolygonF([QPointF(box.center().x() + a * scale, box.center().y() - b * scale) for a, b in ab])

        if self.show_points and len(self.points.lab):
            near = np.abs(self.points.lab[:, 0] - self.lightness) < 5.0
            self._dots(p, place(self.points.lab[near][:, 1:]), near)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for index, shown in enumerate(self.shown):
            polygon = place(shown.solid.outline(self.lightness))
            p.setPen(self._pen(index))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(polygon)
            if shown.solid.outline(self.lightness).any():
                at = polygon.at((index * 37 + 12) % polygon.count())
                self._letter(p, at, shown.letter)

    def _drawn(self, shown: Shown) -> tuple[Floats, NDArray[np.uint8]]:
        """Quadrilaterals of a solid and their colours (N, 3), kept from one picture to the next."""
        key = shown.solid.space.id
        if key not in self._quads:
            mesh = shown.solid.mesh
            self._quads[key] = (mesh, codes_of(mesh.mean(axis=1)) if len(mesh) else np.zeros((0, 3), np.uint8))
        return self._quads[key]

    def _fitting(self) -> float:
        """How far from the middle the solids reach, in ΔE."""
        reach = [
            float(np.linalg.norm(s.solid.mesh - np.array([50.0, 0.0, 0.0]), axis=-1).max())
            for s in self.shown
            if len(s.solid.mesh)
        ]
        return max([*reach, 110.0])

    def _solids(self, p: QPainter, rect: QRectF) -> None:
        scale = min(rect.width(), rect.height()) / (2.05 * self._fitting()) * self.zoomed
        middle = rect.center()

        def place(lab: Floats) -> Floats:
            seen = self.rotated(lab)
            return np.stack([middle.x() + scale * seen[..., 0], middle.y() - scale * seen[..., 1], seen[..., 2]], axis=-1)

        quads, colours, opacity, lines = self._surfaces(place)
        spots = self._spots(place) if self.show_points else None
        if self.vector:
            self._paint_quads(p, quads, colours, opacity)
            if spots is not None:
                which = spots[1]
                self._dots(p, QPolygonF([QPointF(x, y) for x, y in spots[0].tolist()]), which)
        else:
            self._paint_raster(p, rect, quads, colours, opacity, spots)
        self._frame(p, place)
        ink = QColor(theme.current().ink)
        ink.setAlpha(110)
        p.setPen(QPen(ink, 0.8 if self.vector else 0))
        p.setRenderHint(QPainter.RenderHint.Antialiasing, self.vector)
        if lines:
            p.drawLines(*lines)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, shown in enumerate(self.shown):
            if len(shown.solid.mesh):
                at = place(shown.solid.mesh.reshape(-1, 3))
                far = at[np.argmax(at[:, 0] * (1 if index % 2 == 0 else -1))]
                self._letter(p, QPointF(far[0] + (14 if index % 2 == 0 else -14), far[1]), shown.letter)

    def _surfaces(self, place: Callable[[Floats], Floats]) -> tuple[Floats, NDArray[np.uint8], Floats, list[QLineF]]:
        """Quadrilaterals back to front with colours and opacity; and the lines of what is drawn in lines."""
        quads, colours, opacity, depths, lines = [], [], [], [], []
        for shown in self.shown:
            mesh, codes = self._drawn(shown)
            if not len(mesh):
                continue
            at = place(mesh)
            if shown.style == LINE:
                flat = at[..., :2].reshape(-1, 8).tolist()
                lines += [QLineF(q[0], q[1], q[2], q[3]) for q in flat] + [QLineF(q[2], q[3], q[4], q[5]) for q in flat]
                continue
            quads.append(at[..., :2])
            depths.append(at[..., 2].mean(axis=1))
            colours.append(codes)
            opacity.append(np.full(len(mesh), 0.42 if shown.style == GLASS else 1.0))
        if not quads:
            return np.zeros((0, 4, 2)), np.zeros((0, 3), np.uint8), np.zeros(0), lines
        order = np.argsort(np.concatenate(depths))
        return np.concatenate(quads)[order], np.concatenate(colours)[order], np.concatenate(opacity)[order], lines

    def _spots(self, place: Callable[[Floats], Floats]) -> tuple[Floats, NDArray[np.bool_]] | None:
        """Where the picture's colours lie, the ones behind first, in two dimensions; and which they are."""
        if not len(self.points.lab):
            return None
        return place(self.points.lab)[:, :2], np.ones(len(self.points.lab), dtype=np.bool_)

    def _paint_raster(
        self,
        p: QPainter,
        rect: QRectF,
        quads: Floats,
        colours: NDArray[np.uint8],
        opacity: Floats,
        spots: tuple[Floats, NDArray[np.bool_]] | None,
    ) -> None:
        by = self.devicePixelRatioF()
        width, height = round(rect.width() * by), round(rect.height() * by)
        image = np.full((height, width, 3), theme.current().colour("field").red(), dtype=np.uint8)
        corner = np.array([rect.left(), rect.top()])
        solid_raster.fill(image, ((quads - corner) * by).astype(np.float32), colours, opacity.astype(np.float32))
        if spots is not None:
            at = ((spots[0] - corner) * by).astype(np.float32)
            solid_raster.dots(image, at, self.points.codes, ~self.points.inside, np.uint8(theme.current().colour("ink").red()))
        picture = QImage(image.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
        p.drawImage(rect, picture)

    @staticmethod
    def _paint_quads(p: QPainter, quads: Floats, colours: NDArray[np.uint8], opacity: Floats) -> None:
        """The same as polygons, for drawings."""
        p.setPen(Qt.PenStyle.NoPen)
        for corners, (r, g, b), alpha in zip(quads.tolist(), colours.tolist(), opacity.tolist(), strict=True):
            p.setBrush(QBrush(QColor(r, g, b, round(255 * alpha))))
            p.drawConvexPolygon(*(QPointF(x, y) for x, y in corners))

    @staticmethod
    def _frame(p: QPainter, place: Callable[[Floats], Floats]) -> None:
        """The grey axis and the a*, b* axes."""
        t = theme.current()
        p.setFont(theme.font(11))
        axes = (
            ([[0, 0, 0], [100, 0, 0]], "L* 100"),
            ([[50, -100, 0], [50, 100, 0]], "a* 100"),
            ([[50, 0, -100], [50, 0, 100]], "b* 100"),
        )
        for ends, words in axes:
            a, b = place(np.array(ends, dtype=np.float64))
            p.setPen(QPen(t.colour("line"), 1.2))
            p.drawLine(QPointF(a[0], a[1]), QPointF(b[0], b[1]))
            p.setPen(t.colour("soft"))
            p.drawText(QPointF(b[0] + 4, b[1] - 3), words)
