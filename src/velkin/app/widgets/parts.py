"""What benches are made of: headings, facts, the one big figure, rules, and the foot with sentence and action."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.model.changes import Change
from velkin.app.model.shoot_model import ShootModel
from velkin.app.words import as_shown, breakable
from velkin.core.shoot.state import State

WIDTH = 336
PADDING = 16


class Words(QLabel):
    """Text in which no unit is parted from its number by the end of a line; `text` is what was set."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._text = ""
        self.setText(text)

    def setText(self, text: str | None) -> None:
        self._text = text or ""
        super().setText(breakable(as_shown(self._text)))

    def text(self) -> str:
        return self._text


class Elided(QLabel):
    """A line that gives way in its middle where there is no room for it; the whole stands in its tooltip."""

    def __init__(self, text: str = "", soft: bool = True) -> None:
        super().__init__(text)
        self.setProperty("soft", soft)
        self.setFont(theme.font(12 if soft else 13))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self.setToolTip(text or "")

    def minimumSizeHint(self) -> QSize:
        return QSize(48, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setFont(self.font())
        p.setPen(theme.current().colour("soft" if self.property("soft") else "ink"))
        text = self.fontMetrics().elidedText(as_shown(self.text()), Qt.TextElideMode.ElideMiddle, self.width())
        p.drawText(self.rect(), int(self.alignment()), text)


class Heading(Elided):
    """An 11 px capital label; a name in it gives way in its middle."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setFont(theme.font(11, 600, True))


class Rule(QFrame):
    """A thin line."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.current().colour("line"))


class Figure(QWidget):
    """The one number that matters on a bench, with two lines of words beside it."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        self.number = Words()
        self.number.setFont(theme.font(28, 600))
        self.words = Words()
        self.words.setWordWrap(True)
        self.words.setFont(theme.font(13))
        row.addWidget(self.number)
        row.addWidget(self.words, 1)

    def show_value(self, number: str, words: str) -> None:
        """Show a number, or with an empty number a state in words."""
        self.number.setText(number)
        self.number.setVisible(bool(number))
        self.words.setText(words)
        self.setAccessibleName(f"{number} {words}".strip())


def state_label() -> QLabel:
    """A 20 px state in words."""
    label = Words()
    label.setFont(theme.font(20, 600))
    label.setWordWrap(True)
    return label


def soft(text: str = "") -> QLabel:
    """A 12 px secondary line that wraps."""
    label = Words(text)
    label.setProperty("soft", True)
    label.setFont(theme.font(12))
    label.setWordWrap(True)
    return label


class Facts(QWidget):
    """Rows of name and value."""

    def __init__(self, name_width: int = 92) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnMinimumWidth(0, name_width)
        self._grid.setColumnStretch(1, 1)
        self._rows: list[tuple[QLabel, QLabel, QLabel]] = []

    def show_rows(self, rows: list[tuple[str, str]] | list[tuple[str, str, str]]) -> None:
        """Show name, value and optionally a third, right-aligned word per row."""
        while len(self._rows) < len(rows):
            name, value, third = soft(), Words(), soft()
            name.setWordWrap(False)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            value.setWordWrap(True)
            third.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            third.setWordWrap(False)
            line = len(self._rows)
            self._grid.addWidget(name, line, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(value, line, 1)
            self._grid.addWidget(third, line, 2)
            self._rows.append((name, value, third))
        for index, labels in enumerate(self._rows):
            there = index < len(rows)
            for column, label in enumerate(labels):
                text = rows[index][column] if there and column < len(rows[index]) else ""
                label.setText(text)
                label.setVisible(bool(text) or (there and column < 2))


def button(text: str, action: Callable[[], object], primary: bool = False, tip: str = "") -> QPushButton:
    """A push button; `primary` for the main action."""
    result = QPushButton(text)
    result.setProperty("primary", primary)
    result.clicked.connect(lambda _=False: action())
    if tip:
        result.setToolTip(tip)
    return result


def clicks_leave_the_keys(page: QWidget) -> None:
    """Have a page's buttons take the focus by Tab alone, so that a click leaves the keys where they are."""
    for each in page.findChildren(QPushButton):
        each.setFocusPolicy(Qt.FocusPolicy.TabFocus)


def keep_room(widget: QWidget) -> QWidget:
    """Keep a widget's place while it is hidden, so that nothing beside it moves."""
    policy = widget.sizePolicy()
    policy.setRetainSizeWhenHidden(True)
    widget.setSizePolicy(policy)
    return widget


class _Column(QWidget):
    """As wide as its bench, however long a name in it is, so that every control can be reached."""

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())


class Bench(QWidget):
    """One scroll column; under it the closing sentence and the actions, which never scroll away.

    A bench that follows the model refreshes when it is seen and what changed concerns it. It is bound to the frames that it shows: what
    is changed on it goes to them, also where others are selected before a field is left.
    """

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(WIDTH)
        self.setAccessibleName(f"{title} bench")
        #: The frame that is shown, and the frames that changes go to.
        self.frame_id: int | None = None
        self.frames: tuple[int, ...] = ()
        self._followed: ShootModel | None = None
        self._stale = True
        #: The state, frame and selection that are shown; None where what is shown may be out of date.
        self._seen: tuple[State, int | None, tuple[int, ...]] | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        inside = _Column()
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(PADDING, 12, PADDING, 12)
        self.column.setSpacing(8)
        heading = Heading(title)
        heading.setProperty("soft", False)
        heading.setFont(theme.font(11, 700, True))
        self.column.addWidget(heading)
        self.scroller = QScrollArea()
        self.scroller.setWidget(inside)
        self.scroller.setWidgetResizable(True)
        self.scroller.setFrameShape(QFrame.Shape.NoFrame)
        self.scroller.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroller.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        outer.addWidget(self.scroller, 1)
        self._rule = Rule()
        outer.addWidget(self._rule)
        foot = QWidget()
        self.foot = QVBoxLayout(foot)
        self.foot.setContentsMargins(PADDING, 10, PADDING, 12)
        self.foot.setSpacing(8)
        self.sentence = Words()
        self.sentence.setWordWrap(True)
        self.sentence.setFont(theme.font(13))
        self.foot.addWidget(self.sentence)
        outer.addWidget(foot)

    # ---- following the model ----------------------------------------------------------------------------------

    def follow(self, model: ShootModel) -> None:
        """Follow the shoot and the selection from now on."""
        self._followed = model
        model.changed.connect(self._changed_in_the_shoot)
        model.selection_changed.connect(self.stale)

    def _changed_in_the_shoot(self, change: Change) -> None:
        if self.concerned(change) and (change.written or not self._is_followed()):
            self.stale()

    def _is_followed(self) -> bool:
        """Whether what is shown is of this very state, frame and selection: a change may have brought another frame to hand, which was told before."""
        model, seen = self._followed, self._seen
        if model is None or model.shoot is None or seen is None:
            return False
        return seen[0] is model.state and seen[1:] == (model.current, model.selected)

    def concerned(self, change: Change) -> bool:
        """Whether what is shown may be other after a change."""
        return change.concerns(self.frame_id)

    def stale(self) -> None:
        """What is shown may be out of date: refreshed now where it is seen, else when it is."""
        self._stale, self._seen = True, None
        if self.isVisible():
            self._renew()

    def where_seen(self, show: Callable[[], object]) -> None:
        """Show a part of it that is another now: at once where the bench is seen, else with all of it when it is."""
        if self.isVisible():
            show()
        else:
            self.stale()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale and self._followed is not None:
            self._renew()

    def _renew(self) -> None:
        self.commit()
        self._stale = False
        model = self._followed
        if model is not None:
            self.frame_id, self.frames = model.current, model.selected
            self._seen = None if model.shoot is None else (model.state, model.current, model.selected)
        self.refresh()

    def commit(self) -> None:
        """What was typed and not entered yet counts, for the frames that it was typed for."""
        field = self.focusWidget()
        if isinstance(field, QAbstractSpinBox) and field.hasFocus():
            field.interpretText()

    def refresh(self) -> None:
        """Show what is so now."""

    def reveal(self, widget: QWidget) -> None:
        """Scroll an answer that was asked for into sight."""
        QTimer.singleShot(0, lambda: self.scroller.ensureWidgetVisible(widget, 0, PADDING))

    def section(self, title: str, rule: bool = True) -> Heading:
        """Begin a section; its heading."""
        if rule:
            self.column.addSpacing(2)
            self.column.addWidget(Rule())
        heading = Heading(title)
        self.column.addWidget(heading)
        return heading

    def end(self) -> None:
        """End the column: what follows stays at the top."""
        self.column.addStretch(1)


def emptied(rows: QLayout) -> None:
    """Take all widgets out of a layout; they are gone a moment later."""
    while (item := rows.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.deleteLater()


def beside(words: QWidget, action: QWidget) -> QWidget:
    """Words with an action at their right."""
    holder = QWidget()
    row = QHBoxLayout(holder)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    row.addWidget(words, 1)
    row.addWidget(action, 0, Qt.AlignmentFlag.AlignTop)
    return holder


def row_of(*widgets: QWidget) -> QWidget:
    """Widgets side by side, equally wide."""
    holder = QWidget()
    row = QHBoxLayout(holder)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    for widget in widgets:
        row.addWidget(widget, 1)
    return holder


def compact(box: QComboBox) -> QComboBox:
    """A combo box that is as wide as its bench, not as its longest entry."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box


def labelled(text: str, field: QWidget, width: int = 92) -> QWidget:
    """A field with its name before it."""
    holder = QWidget()
    row = QHBoxLayout(holder)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    label = soft(text)
    label.setWordWrap(False)
    label.setFixedWidth(width)
    label.setBuddy(field)
    field.setAccessibleName(text)
    row.addWidget(label)
    row.addWidget(field, 1)
    return holder


class Slide(QWidget):
    """A name, a slider and its value: told while it is dragged, and once where it stays."""

    moved = pyqtSignal(float)
    settled = pyqtSignal(float)

    def __init__(
        self, name: str, low: float, high: float, words: Callable[[float], str], steps: int = 100, width: int = 76
    ) -> None:
        super().__init__()
        self._low, self._high, self._steps, self._words = low, high, steps, words
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, steps)
        self.slider.setPageStep(max(steps // 10, 1))
        self.value_label = Words()
        self.value_label.setFixedWidth(52)
        self.value_label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        row.addWidget(self.slider, 1)
        row.addWidget(self.value_label)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(labelled(name, holder, width))
        self.slider.setAccessibleName(name)
        self.slider.valueChanged.connect(self._changed)
        self.slider.sliderReleased.connect(lambda: self.settled.emit(self.value()))

    def value(self) -> float:
        """The value that it stands at."""
        return self._low + (self._high - self._low) * self.slider.value() / self._steps

    def show_value(self, value: float) -> None:
        """Show a value, without telling; not while it is dragged."""
        if not self.slider.isSliderDown():
            self.slider.blockSignals(True)
            self.slider.setValue(round((value - self._low) / (self._high - self._low) * self._steps))
            self.slider.blockSignals(False)
            self.value_label.setText(self._words(value))

    def _changed(self) -> None:
        self.value_label.setText(self._words(self.value()))
        if self.slider.isSliderDown():
            self.moved.emit(self.value())
        else:
            self.settled.emit(self.value())
