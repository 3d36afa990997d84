"""Parts of the chart room: swatches, judgements, the patch close-up, the map of uneven light."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from velkin.app import glyphs, theme
from velkin.app.words import localised, signed
from velkin.core.charts.definition import Chart
from velkin.core.charts.evenness import LightOnChart
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.refining import project
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]


def screen_colour(xyz: Floats) -> QColor:
    """XYZ D50 as the screen shows it."""
    return screen_colours(xyz[None])[0]


def screen_colours(xyz: Floats) -> list[QColor]:
    """XYZ D50 (N, 3) as the screen shows them."""
    codes = np.clip(SRGB.encode(np.clip(xyz @ SRGB.from_xyz.T, 0, 1)), 0, 1) * 255
    return [QColor(*code) for code in np.round(codes).astype(int).tolist()]


class Swatches(QWidget):
    """The chart's patches in bands: the reference, what was read through the built-in profile, and through the fitted one."""

    clicked = pyqtSignal(int)

    def __init__(self, chart: Chart) -> None:
        super().__init__()
        self.setFixedHeight(96)
        self.bands: tuple[Floats, ...] = ()
        self._colours: list[list[QColor]] = []
        self.words = ""
        self.patch = -1
        self._chart = chart
        self.setAccessibleName("Reference and reading of every patch")

    def set_chart(self, chart: Chart) -> None:
        """The chart whose patches are shown."""
        self._chart, self.bands, self._colours, self.patch = chart, (), [], -1
        self.update()

    def show_colours(self, bands: tuple[Floats, ...], words: str) -> None:
        """XYZ D50 (N, 3) of each band, from the top, all on the same exposure."""
        self.bands, self.words = bands, words
        self._colours = [screen_colours(np.asarray(band)) for band in bands]
        self.update()

    def _slot(self, index: int) -> QRectF:
        """A patch's place: one row of swatches, or as many as keep them wide enough to see."""
        count = len(self._chart.ids)
        rows = 1 if count <= 36 else 2 if count <= 100 else 4
        per = -(-count // rows)
        width = (self.width() - 54) / per
        height = 46 if rows == 1 else 62 / rows
        row, column = divmod(index, per)
        return QRectF(27 + column * width, 28 + row * height, max(width - 2, 1), height - (0 if rows == 1 else 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for i in range(len(self._chart.ids)):
                if self._slot(i).adjusted(-1, 0, 1, 20 if len(self._chart.ids) <= 36 else 0).contains(event.position()):
                    self.clicked.emit(i)
                    return

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        p.setPen(t.colour("line"))
        p.drawLine(0, 0, self.width(), 0)
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11, 700, True))
        p.drawText(QRectF(27, 5, 200, 18), Qt.AlignmentFlag.AlignVCenter, "Here against the chart")
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(12))
        words = p.fontMetrics().elidedText(self.words, Qt.TextElideMode.ElideRight, self.width() - 210)
        p.drawText(QRectF(198, 5, self.width() - 210, 18), Qt.AlignmentFlag.AlignVCenter, words)
        p.setFont(theme.font(11))
        widest = max(p.fontMetrics().horizontalAdvance(name) for name in self._chart.ids)
        named = len(self._chart.ids) <= 36
        for i, name in enumerate(self._chart.ids):
            slot = self._slot(i)
            height = slot.height() / max(len(self._colours), 1)
            for number, band in enumerate(self._colours):
                p.fillRect(QRectF(slot.left(), slot.top() + number * height, slot.width(), height), band[i])
            if not self._colours:
                p.fillRect(slot, t.colour("field"))
            if i == self.patch:
                p.setPen(t.colour("ink"))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(slot)
            if not named or (slot.width() < widest and i != self.patch):
                continue  # a small window: the chosen one's name alone
            label = QRectF(slot.left(), slot.bottom() + 3, slot.width(), 16)
            if slot.width() < widest:
                label.adjust(-widest / 2, 0, widest / 2, 0)
            if i == self.patch:
                p.fillRect(label, t.colour("chosen"))
            p.setPen(t.colour("chosen_ink") if i == self.patch else t.colour("soft"))
            p.setFont(theme.font(11, 600 if i == self.patch else 400))
            p.drawText(label, Qt.AlignmentFlag.AlignCenter, name)


_QUALITY_GLYPHS = {Verdict.GOOD: "tagged-same", Verdict.NOTE: "tagged-other", Verdict.REFUSE: "damaged"}


class QualityRow(QWidget):
    """One judgement: glyph, about, finding, verdict. A click shows its patches."""

    clicked = pyqtSignal(object)

    def __init__(self, judgement: Judgement) -> None:
        super().__init__()
        self._judgement = judgement
        self.setFixedHeight(19)
        self.setAccessibleName(f"{judgement.about}: {judgement.finding}, {judgement.verdict.value}")
        self.setToolTip(judgement.advice)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.clicked.emit(self._judgement)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, j = theme.current(), self._judgement
        p = QPainter(self)
        refuse = j.verdict is Verdict.REFUSE
        if refuse:
            p.fillRect(self.rect(), t.colour("chosen"))
        ink = t.colour("chosen_ink") if refuse else t.colour("ink")
        glyphs.draw(p, _QUALITY_GLYPHS[j.verdict], QRectF(4, 5, 10, 10), ink)
        p.setPen(ink)
        p.setFont(theme.font(13, 700 if refuse else 400))
        p.drawText(QRectF(22, 0, 70, 20), Qt.AlignmentFlag.AlignVCenter, j.about)
        room = self.width() - 88 - (78 if j.verdict is not Verdict.GOOD else 40)
        p.setFont(theme.font(12, 600 if refuse else 400))
        p.drawText(
            QRectF(88, 0, room, 20),
            Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(localised(j.finding), Qt.TextElideMode.ElideRight, int(room)),
        )
        p.setFont(theme.font(12, 700 if j.verdict is not Verdict.GOOD else 400))
        p.setPen(ink if j.verdict is not Verdict.GOOD else t.colour("soft"))
        p.drawText(
            QRectF(0, 0, self.width() - 4, 20), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, j.verdict.value
        )


class NumberItem(QTableWidgetItem):
    """A table cell that sorts by its number."""

    def __init__(self, value: float, digits: int = 1) -> None:
        super().__init__(localised(signed(value, digits)))
        self.value = value
        self.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return self.value < other.value if isinstance(other, NumberItem) else super().__lt__(other)


class PatchTable(QTableWidget):
    """The patches with their ΔE00 through the built-in and the fitted profile; sorts on a click."""

    patch_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(0, 4)
        self.setHorizontalHeaderLabels(["Patch", "", "built-in", "fitted"])
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setAccessibleName("Colour differences by patch")
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(19)
        self.setTabKeyNavigation(False)  # Tab goes on; arrows go from row to row
        vertical.setMinimumSectionSize(18)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column, width in ((0, 48), (2, 62), (3, 62)):
            self.setColumnWidth(column, width)
        for column in (2, 3):
            item = self.horizontalHeaderItem(column)
            assert item is not None
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setFixedHeight(134)
        self.itemSelectionChanged.connect(self._row_chosen)

    def show_patches(self, chart: Chart, left_out: tuple[str, ...], before: dict[str, float], after: dict[str, float]) -> None:
        """Show a chart's patches with their differences where there are any; in the chart's order until something was fitted."""
        self.setSortingEnabled(False)
        self.setRowCount(len(chart.ids))
        for row, (patch, name) in enumerate(zip(chart.ids, chart.names, strict=True)):
            self.setItem(row, 0, QTableWidgetItem(patch))
            self.setItem(row, 1, QTableWidgetItem("left out" if patch in left_out else name))
            for column, values in ((2, before), (3, after)):
                self.setItem(row, column, NumberItem(values[patch]) if patch in values else QTableWidgetItem(""))
        self.setSortingEnabled(True)
        if not after:
            self.sortItems(0)

    def choose(self, patch: str) -> None:
        """Choose a patch's row."""
        for row in range(self.rowCount()):
            item = self.item(row, 0)
            if item is not None and item.text() == patch and not item.isSelected():
                self.selectRow(row)

    def _row_chosen(self) -> None:
        rows = self.selectedItems()
        item = self.item(rows[0].row(), 0) if rows else None
        if item is not None:
            self.patch_chosen.emit(item.text())


class CloseUp(QWidget):
    """One patch enlarged: its own pixels, and the reference and the readings as plain fields beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(64)
        self._image = QImage()
        self._fields: tuple[tuple[str, Floats], ...] = ()
        self.setAccessibleName("The chosen patch, enlarged")

    def show_patch(self, image: QImage, outline: QPolygonF, fields: tuple[tuple[str, Floats], ...]) -> None:
        """The rendered picture, the patch's outline on it, and names with XYZ D50 (3,) of plain fields; an empty image clears."""
        box = outline.boundingRect().adjusted(-2, -2, 2, 2).toAlignedRect().intersected(image.rect())
        self._image = image.copy(box) if not image.isNull() and not box.isEmpty() else QImage()
        self._fields = fields
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        if self._image.isNull() and not self._fields:
            p.setPen(t.colour("soft"))
            p.setFont(theme.font(12))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, "Choose a patch to see it close up.")
            return
        parts = 1 + len(self._fields)
        width = self.width() / parts
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(QRectF(0, 0, width - 1, 46), self._image)
        p.setFont(theme.font(11))
        names = ["picture", *(name for name, _ in self._fields)]
        for number, (_, colour) in enumerate(self._fields, start=1):
            p.fillRect(QRectF(number * width, 0, width - (1 if number < parts - 1 else 0), 46), screen_colour(colour))
        p.setPen(t.colour("soft"))
        for number, name in enumerate(names):
            p.drawText(QRectF(number * width, 47, width, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)


class LightMap(QWidget):
    """How bright the light is over the chart, as a grey map with its range in figures."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(96, 62)
        self._map = QImage()
        self.setAccessibleName("Map of the light over the chart")

    def show_light(self, light: LightOnChart | None, chart: Chart) -> None:
        """Show a light; None clears the map."""
        if light is None:
            self._map = QImage()
            self.update()
            return
        u, v = np.meshgrid(np.linspace(0, 1, 48), np.linspace(0, 1, 31))
        level = light.at(np.stack([u.ravel(), v.ravel()], axis=1)).reshape(u.shape)
        grey = np.clip(128 * level / level.mean(), 0, 255).astype(np.uint8)
        self._map = QImage(grey.tobytes(), 48, 31, 48, QImage.Format.Format_Grayscale8).copy()
        self.setToolTip(
            f"Light over the chart: {100 * (level.min() - 1):+.0f} % to {100 * (level.max() - 1):+.0f} % of its middle"
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        if self._map.isNull():
            p.fillRect(self.rect(), theme.current().colour("field"))
        else:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(QRectF(self.rect()), self._map)
        p.setPen(theme.current().colour("edge"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))


def outline_of(corners: Floats, matrix: Floats, scale: float) -> QPolygonF:
    """Corners (4, 2) in chart coordinates through a homography, in pixels of an image of a size against the picture."""
    return QPolygonF([QPointF(float(x) * scale, float(y) * scale) for x, y in project(matrix, corners)])
