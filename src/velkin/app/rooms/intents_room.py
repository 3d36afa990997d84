"""Intents side by side: up to four renderings of the frame at the destination, their figures, and which loses least."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.parts import Elided, Words, button
from velkin.app.words import localised
from velkin.core.errors import VelkinError
from velkin.core.gamut.intents import Rendering, advice, best_of, renderings
from velkin.core.icc.space import Space
from velkin.core.render import eased, shown, to_working
from velkin.core.sampling import at_most

#: Longest side of the pictures that figures are measured on, in pixels.
_EDGE = 900


def _figures(r: Rendering) -> tuple[tuple[str, str], ...]:
    """What is said of a rendering under its picture, two lines of two."""
    return (
        (f"ΔE {r.mean:.2f} mean, {r.p95:.1f} at the 95th percentile", f"contrast kept {100 * r.contrast:.0f} %"),
        (f"texture lost {100 * r.texture_lost:.1f} %", f"greys move by {r.neutral_shift:.1f}"),
    )


class _Sheet(QWidget):
    """The renderings in a grid, figures under each; a click chooses one."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Renderings; arrow keys choose one, Return uses it")
        self.images: list[QImage] = []
        self.found: tuple[Rendering, ...] = ()
        self.current = 0
        self.words = ""

    def _cells(self) -> list[QRectF]:
        columns = 2
        rows = max((len(self.images) + 1) // 2, 1)
        width, height = (self.width() - 24 - 12) / columns, (self.height() - 24 - 12 * (rows - 1)) / rows
        return [
            QRectF(12 + (i % columns) * (width + 12), 12 + (i // columns) * (height + 12), width, height)
            for i in range(len(self.images))
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("surround"))
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.images:
            box = QRectF(self.width() / 2 - 160, self.height() / 2 - 14, 320, 28)
            p.fillRect(box, t.colour("panel"))
            p.setPen(t.colour("ink"))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, self.words)
            return
        best = best_of(self.found)
        for number, (cell, image, r) in enumerate(zip(self._cells(), self.images, self.found, strict=True)):
            p.fillRect(cell, t.colour("panel"))
            plate = QRectF(cell.left(), cell.bottom() - 60, cell.width(), 60)
            if number == self.current:
                p.fillRect(plate, t.colour("chosen"))
            room = cell.adjusted(6, 6, -6, -62)
            scale = min(room.width() / image.width(), room.height() / image.height())
            width, height = image.width() * scale, image.height() * scale
            p.drawImage(QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height), image)
            ink = t.colour("chosen_ink" if number == self.current else "ink")
            p.setPen(ink)
            p.setFont(theme.font(13, 600))
            line = QRectF(cell.left() + 10, cell.bottom() - 56, cell.width() - 20, 18)
            p.drawText(line, Qt.AlignmentFlag.AlignVCenter, r.name[:1].upper() + r.name[1:])
            if r is best:
                p.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "loses least")
            p.setFont(theme.font(12))
            for left, right in _figures(r):
                line.translate(0, 18)
                p.drawText(line, Qt.AlignmentFlag.AlignVCenter, localised(left))
                p.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, localised(right))
            if number == self.current:
                p.setPen(QPen(t.colour("ink"), 3 if self.hasFocus() else 1.5))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(cell.adjusted(-2, -2, 2, 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for number, cell in enumerate(self._cells()):
                if cell.contains(event.position()):
                    self.choose(number)

    def choose(self, number: int) -> None:
        """Choose a rendering."""
        if self.images:
            self.current = number % len(self.images)
            r = self.found[self.current]
            best = ", loses least" if r is best_of(self.found) else ""
            told = ", ".join(words for pair in _figures(r) for words in pair)
            self.setAccessibleDescription(f"{self.current + 1} of {len(self.images)}: {r.name}{best}; {told}")
            self.chosen.emit(self.current)
            self.update()

    def keyPressEvent(self, event: Any) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -2, Qt.Key.Key_Down: 2}
        if event.key() in steps:
            self.choose(self.current + steps[event.key()])
        else:
            super().keyPressEvent(event)


class IntentsRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.INTENTS

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Intents side by side")
        self._frame: int | None = None
        self._space: Space | None = None
        self.sheet = _Sheet()
        self.sheet.chosen.connect(lambda _: self._show_choice())
        row = self.head
        self._which = Elided()
        row.addWidget(self._which, 1)
        self.use = button("Use it", self.use_it, True)
        row.addWidget(self.use)
        self.add_back()
        self.advice = Words()
        self.advice.setWordWrap(True)
        self.advice.setMargin(12)
        self.advice.setObjectName("panel")
        self.advice.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.advice)
        holder = QHBoxLayout()
        holder.addWidget(self.sheet, 1)
        column.addLayout(holder, 1)
        self.on_keys(("Return", self.use_it))

    def takes(self, frame: int) -> bool:
        """Any frame can be rendered in every way."""
        return True

    def enter(self, place: Place) -> None:
        """Render the frame in the viewer in every way."""
        frame, path = self._model.frame, self._model.path()
        if frame is None or path is None:
            return
        self._frame = frame.id
        screen = self._model.screen
        self._space = path.destination
        self.sheet.images, self.sheet.found, self.sheet.words = [], (), "Rendering it in every way …"
        self.advice.setText("")
        self._which.setText(f"{frame.name} at {path.destination.name}")
        self.use.setEnabled(False)
        self.sheet.update()
        self.sheet.setFocus()

        edge = round(max(self.sheet.width(), self.sheet.height()) / 2 * self.devicePixelRatioF())

        def work(job: Job) -> tuple[tuple[Rendering, ...], list[QImage]]:
            working = eased(to_working(self._jobs.sources.source(frame.path, path.source, True), path), path)
            found, pictures = renderings(at_most(working, (_EDGE, _EDGE)), path.working, path.destination)
            if edge > _EDGE:  # a large screen: the figures stay those of the usual size
                large = at_most(working, (edge, edge))
                pictures = tuple(r.picture(large, path.working, path.destination) for r in found)
            return found, [to_image(shown(p, path.working, screen)) for p in pictures]

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
                self.leave()
            else:
                self.sheet.found, self.sheet.images = result
                self.sheet.choose(self.sheet.found.index(best_of(self.sheet.found)))
                self.advice.setText(advice(self.sheet.found))

        self._jobs.lanes.start(Lane.ROOM, work, done, name="Rendering every intent", purpose="intents room")

    def _show_choice(self) -> None:
        r = self.sheet.found[self.sheet.current]
        self.use.setEnabled(True)
        self.use.setText(
            "Ease like this" if r.eased else "Nothing to choose" if len(self.sheet.found) == 2 else "Use this intent"
        )
        if len(self.sheet.found) == 2 and not r.eased:
            self.use.setEnabled(False)

    def use_it(self) -> None:
        """Take the chosen rendering for the proof."""
        if not self.sheet.found or not self.use.isEnabled():
            return
        r = self.sheet.found[self.sheet.current]
        if r.eased:
            from velkin.core.gamut.easing import full_strength

            if self._frame is not None:
                self._jobs.proof.set_easings(self._frame, full_strength(), "ease by a knee")
        else:
            space = self._space if self._model.state.goal.space or self._model.proof.on_screen else None
            self._jobs.proof.set_goal(space, r.intent, r.black_point)
        self.leave()

    def left_behind(self) -> None:
        """Nothing is awaited any more."""
        self._jobs.lanes.forget("intents room")
