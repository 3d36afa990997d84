"""Parts of the fit report: the models side by side, the chart as split patches, error vectors in a*b*."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QWidget

from velkin.app import theme
from velkin.app.widgets.chart_parts import screen_colour
from velkin.app.widgets.checkable import Checkable
from velkin.app.words import localised, signed
from velkin.core.cameraprofiles.fit import Fitted
from velkin.core.cameraprofiles.models import NAMES, WORDS
from velkin.core.charts.definition import Chart
from velkin.core.spaces.lab import xyz_to_lab

Floats = NDArray[np.float64]

_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class ModelCard(Checkable, QAbstractButton):
    """One model's figures; the chosen one has a raised ground and an ink foot."""

    def __init__(self, model: str) -> None:
        super().__init__()
        self.model = model
        self._figures: tuple[float, float, float] | None = None
        self._recommended = False
        self.be_reachable()
        self.setFixedHeight(76)
        self.setText(WORDS[model])

    def show_figures(self, mean: float, worst: float, unseen: float, recommended: bool) -> None:
        """Mean and worst on the chart, mean of patches predicted unseen."""
        self._figures, self._recommended = (mean, worst, unseen), recommended
        words = f"{self.text()}: mean {mean:.2f}, worst {worst:.1f}, unseen patches {unseen:.2f}"
        self.setAccessibleName(words + (", recommended" if recommended else ""))
        self.setToolTip(self.accessibleName())
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        chosen = self.isChecked()
        p.fillRect(self.rect(), t.colour("raised" if chosen else "panel"))
        if chosen:
            p.fillRect(0, self.height() - 3, self.width(), 3, t.colour("ink"))
        if self.hasFocus():
            p.setPen(t.colour("edge"))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(13, 700 if chosen else 500))
        name = self.text()[0].upper() + self.text()[1:]
        p.drawText(QRectF(14, 7, self.width() - 28, 18), _LEFT, name)
        if self._recommended:
            p.setFont(theme.font(11, 600, True))
            p.drawText(QRectF(14, 7, self.width() - 28, 18), _RIGHT, "Recommended")
        if self._figures is None:
            return
        mean, worst, unseen = self._figures
        p.setFont(theme.font(20, 600))
        p.drawText(QRectF(14, 26, 70, 26), _LEFT, localised(f"{mean:.2f}"))
        p.setFont(theme.font(12))
        p.setPen(t.colour("soft"))
        p.drawText(QRectF(70, 30, self.width() - 84, 22), _LEFT, "mean ΔE on the chart")
        p.drawText(QRectF(14, 51, self.width() - 28, 18), _LEFT, localised(f"unseen patches {unseen:.2f}   worst {worst:.1f}"))


class ModelCards(QWidget):
    """The three models side by side."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        self.cards = {name: ModelCard(name) for name in NAMES}
        self._group = QButtonGroup(self)
        for card in self.cards.values():
            self._group.addButton(card)
            row.addWidget(card, 1)
            card.clicked.connect(lambda _=False, c=card: self.chosen.emit(c.model))

    def show_fitted(self, fitted: Fitted, chosen: str) -> None:
        """Every model's figures."""
        for name, card in self.cards.items():
            f = fitted.of(name).figures
            card.show_figures(f.mean, f.worst, f.leave_one_out, name == fitted.recommended)
            card.setChecked(name == chosen)


class SplitPatches(QWidget):
    """The chart drawn as patches, each split: before, reference, after, with its difference under it."""

    clicked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(180)
        self._chart: Chart | None = None
        self._thirds: tuple[Floats, Floats, Floats] | None = None
        self._errors: Floats | None = None
        self.patch = -1
        self.setAccessibleName("The chart's patches: before, as they are, and through the profile")

    def show_patches(self, chart: Chart, before: Floats, reference: Floats, after: Floats, errors: Floats) -> None:
        """XYZ D50 (N, 3) of the thirds, on one exposure, and ΔE00 (N,) of the last."""
        self._chart, self._thirds, self._errors = chart, (before, reference, after), errors
        self.update()

    def _cell(self, index: int) -> QRectF:
        assert self._chart is not None
        row, column = divmod(index, self._chart.columns)
        width, height = (self.width() - 30) / self._chart.columns, (self.height() - 34) / self._chart.rows
        return QRectF(16 + column * width, 28 + row * height, width - 3, height - 3)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._chart is not None:
            for i in range(len(self._chart.ids)):
                if self._cell(i).contains(event.position()):
                    self.clicked.emit(i)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11, 700, True))
        p.drawText(QRectF(16, 5, 200, 18), _LEFT, "Patches")
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(12))
        p.drawText(
            QRectF(84, 5, self.width() - 100, 18), _LEFT, "left: before; middle: as they are; right: through the profile"
        )
        if self._chart is None or self._thirds is None or self._errors is None:
            return
        named = self._cell(0).height() >= 30
        for i, name in enumerate(self._chart.ids):
            cell = self._cell(i)
            label = 15 if named else 0
            third = cell.width() / 3
            for k, colours in enumerate(self._thirds):
                box = QRectF(cell.left() + k * third, cell.top(), third + 0.5, cell.height() - label)
                p.fillRect(box, screen_colour(colours[i]))
            chosen = i == self.patch
            if chosen:
                p.setPen(QPen(t.colour("ink"), 2))
                p.drawRect(cell.adjusted(0, 0, 0, -label))
            if named:
                under = QRectF(cell.left(), cell.bottom() - label, cell.width(), label)
                if chosen:
                    p.fillRect(under, t.colour("chosen"))
                p.setPen(t.colour("chosen_ink" if chosen else "soft"))
                p.setFont(theme.font(11, 600 if chosen else 400))
                p.drawText(under.adjusted(3, 0, -3, 0), _LEFT, name)
                p.drawText(under.adjusted(3, 0, -3, 0), _RIGHT, localised(f"{self._errors[i]:.1f}"))


class ErrorVectors(QWidget):
    """Where each patch lies in a*b* and where it is moved to: a ring as it is, a line to what the profile makes of it.

    Lines are drawn larger than they are, as the caption says, or they could not be seen.
    """

    _STRETCH = 4.0

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(260, 200)
        self._lab: tuple[Floats, Floats, Floats] | None = None
        self._xyz: Floats | None = None
        self.patch = -1
        self.setAccessibleName("Differences in a*b*")

    def show_vectors(self, reference: Floats, before: Floats, after: Floats) -> None:
        """XYZ D50 (N, 3) of the patches as they are, before and after."""
        self._lab = (xyz_to_lab(reference), xyz_to_lab(before), xyz_to_lab(after))
        self._xyz = reference
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11, 700, True))
        p.drawText(QRectF(16, 5, 200, 18), _LEFT, "Differences in a*b*")
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(12))
        p.drawText(QRectF(150, 5, self.width() - 160, 18), _LEFT, f"drawn {self._STRETCH:.0f} × as long")
        area = QRectF(16, 28, self.width() - 32, self.height() - 38)
        if self._lab is None or self._xyz is None:
            return
        reference, before, after = self._lab
        reach = max(float(np.abs(reference[:, 1:]).max()) * 1.18, 20.0)
        scale = min(area.width(), area.height()) / 2 / reach
        middle = area.center()

        def at(ab: Floats) -> QPointF:
            return QPointF(middle.x() + float(ab[0]) * scale, middle.y() - float(ab[1]) * scale)

        p.setPen(QPen(t.colour("line"), 1))
        p.drawLine(QPointF(area.left(), middle.y()), QPointF(area.right(), middle.y()))
        p.drawLine(QPointF(middle.x(), area.top()), QPointF(middle.x(), area.bottom()))
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(11))
        step = 20 if reach < 70 else 40
        for value in range(-int(reach // step) * step, int(reach // step) * step + 1, step):
            if value:
                p.drawText(
                    QRectF(middle.x() + value * scale - 20, middle.y() + 2, 40, 14),
                    Qt.AlignmentFlag.AlignCenter,
                    signed(value, 0),
                )
        p.drawText(QRectF(area.right() - 16, middle.y() - 16, 16, 14), _RIGHT, "a*")
        p.drawText(QRectF(middle.x() + 5, area.top() - 2, 20, 14), _LEFT, "b*")
        p.setClipRect(area)
        for i in range(len(reference)):
            start = at(reference[i, 1:])
            was = at(reference[i, 1:] + self._STRETCH * (before[i, 1:] - reference[i, 1:]))
            end = at(reference[i, 1:] + self._STRETCH * (after[i, 1:] - reference[i, 1:]))
            p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DotLine))
            p.drawLine(start, was)
            p.setPen(QPen(t.colour("ink"), 1.6))
            p.drawLine(start, end)
            p.setPen(QPen(t.colour("ink"), 2.4 if i == self.patch else 1))
            p.setBrush(screen_colour(self._xyz[i]))
            size = 6.0 if i == self.patch else 4.5
            p.drawEllipse(start, size, size)
            p.setBrush(Qt.BrushStyle.NoBrush)
