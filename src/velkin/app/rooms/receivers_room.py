"""A written file as its receivers see it, beside the picture here: who heeds tags, who ignores them, a web service, a press."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from velkin.app import glyphs, theme
from velkin.app.context import Context
from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.parts import Rule, button, compact
from velkin.app.words import as_shown, count
from velkin.core.errors import VelkinError
from velkin.core.render import shown
from velkin.core.shoot.written import WrittenFile
from velkin.core.spaces.rgb import ROMM

if TYPE_CHECKING:
    from velkin.sim.receivers import View

_COLUMNS, _ROWS, _TEXT = 3, 2, 84


@dataclass(frozen=True)
class _Cell:
    """One picture with what is said of it."""

    image: QImage | None
    name: str
    figures: str
    words: str
    warning: bool


class ReceiversSheet(QWidget):
    """The master and the views in a grid."""

    def __init__(self) -> None:
        super().__init__()
        self.cells: list[_Cell] = []
        self.words = ""
        self.setAccessibleName("The written file as receivers see it")

    def show_cells(self, cells: list[_Cell], words: str) -> None:
        """Show pictures, or only words where there are none."""
        self.cells, self.words = cells, words
        told = "; ".join(f"{c.name}: {c.figures} {c.words}" for c in cells)
        self.setAccessibleDescription(told or words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("surround"))
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.cells:
            box = QRectF(self.width() / 2 - 260, self.height() / 2 - 30, 520, 60)
            p.fillRect(box, t.colour("panel"))
            p.setPen(t.colour("ink"))
            p.drawText(box.adjusted(12, 0, -12, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
            return
        gap = 12.0
        width = (self.width() - gap * (_COLUMNS + 1)) / _COLUMNS
        height = (self.height() - gap * (_ROWS + 1)) / _ROWS
        for number, cell in enumerate(self.cells):
            at = QRectF(gap + number % _COLUMNS * (width + gap), gap + number // _COLUMNS * (height + gap), width, height)
            self._paint_cell(p, cell, at)

    @staticmethod
    def _paint_cell(p: QPainter, cell: _Cell, at: QRectF) -> None:
        t = theme.current()
        if cell.image is not None:
            room = at.adjusted(0, 0, 0, -_TEXT)
            scale = min(room.width() / cell.image.width(), room.height() / cell.image.height())
            w, h = cell.image.width() * scale, cell.image.height() * scale
            picture = QRectF(room.center().x() - w / 2, room.bottom() - h, w, h)
            p.drawImage(picture, cell.image)
            wide = picture if w > 0.8 * at.width() else at  # words under a tall picture need more room than it has
            plate = QRectF(wide.left(), at.bottom() - _TEXT, wide.width(), _TEXT)
        else:
            plate = at
        p.fillRect(plate, t.colour("panel"))
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(13, 700 if cell.warning else 600))
        line = QRectF(plate.left() + 10, plate.top() + 6, plate.width() - 20, 18)
        if cell.warning:
            glyphs.draw(p, "missing", QRectF(line.left(), line.top() + 3, 11, 11), t.colour("ink"))
        p.drawText(line.adjusted(17 if cell.warning else 0, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, cell.name)
        p.setFont(theme.font(12))
        if cell.figures:
            line.translate(0, 18)
            p.drawText(line, Qt.AlignmentFlag.AlignVCenter, as_shown(cell.figures))
        words = QRectF(line.left(), line.bottom() + 1, line.width(), plate.bottom() - line.bottom() - 3)
        p.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, as_shown(cell.words))


class ReceiversRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.RECEIVERS

    def __init__(self, context: Context) -> None:
        super().__init__(context, "As receivers see it")
        self._files: list[WrittenFile] = []
        self.views: list[View] = []
        row = self.head
        self.file = compact(QComboBox())
        self.file.setMinimumWidth(180)
        self.file.setAccessibleName("Which written file")
        self.file.activated.connect(lambda _: self._show())
        row.addWidget(self.file)
        row.addStretch(1)
        self.print_button = button(
            "Print it at Quill Lane (simulated)",
            self.print_it,
            tip="Take the file to the stand-in print room; a scan of the print or a note comes back",
        )
        row.addWidget(self.print_button)
        self.add_back()
        self.sheet = ReceiversSheet()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(Rule())
        column.addWidget(self.sheet, 1)

    def takes(self, frame: int) -> bool:
        """The written files of any frame can be looked at."""
        return True

    def enter(self, place: Place) -> None:
        """Offer the files that were written last, of the frame in the viewer first, and show one."""
        latest = {(w.frame, w.destination): w for w in self._model.written() if w.ok}
        state = self._model.state
        names = {d.id: d.name for d in state.destinations}
        known = [w for w in latest.values() if w.frame in state.frames and w.destination in names]
        self._files = sorted(known, key=lambda w: (w.frame != self._model.current, w.path.name))
        self.file.clear()
        for w in self._files:
            self.file.addItem(f"{w.path.name}, {names[w.destination]}")
        self.file.setEnabled(bool(self._files))
        self.print_button.setEnabled(bool(self._files))
        self.file.setFocus()
        if self._files:
            self._show()
        else:
            self.sheet.show_cells(
                [], "No file that was handed off is there to look at. Hand off first (Ctrl+Return on the Hand-off bench)."
            )

    def chosen(self) -> WrittenFile | None:
        """The file that is shown."""
        index = self.file.currentIndex()
        return self._files[index] if 0 <= index < len(self._files) else None

    def _show(self) -> None:
        w = self.chosen()
        if w is None:
            return
        state, screen = self._model.state, self._model.screen
        frame = state.frames[w.frame]
        d = next(d for d in state.destinations if d.id == w.destination)
        path = state.path(w.frame)
        self.views = []
        self.sheet.show_cells([], f"Looking at {w.path.name} through four pairs of eyes …")

        def work(job: Job) -> tuple[list[View], list[_Cell]]:
            from velkin.core.destinations.sizing import fitted
            from velkin.core.sources import levels_of
            from velkin.sim.receivers import master_of, views_of

            fit = fitted(d.size, frame.facts.width, frame.facts.height)
            master = master_of(levels_of(frame.path, path.source).merged(), path, fit)
            views = views_of(w.path, master)
            cells = [
                _Cell(
                    to_image(shown(master, ROMM, screen)),
                    "The picture here",
                    "",
                    f"{frame.name} as you see it in the viewer.",
                    False,
                )
            ]
            for view in views:
                refused = view.words.startswith("Refused")
                figures = "" if refused else f"ΔE {view.mean:.1f} mean, {view.p95:.1f} at the 95th percentile"
                image = None if refused else to_image(shown(view.linear, ROMM, screen))
                cells.append(_Cell(image, view.name, figures, view.words, view.warning))
            return views, cells

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
                self.sheet.show_cells([], f"{w.path.name} cannot be looked at; the reason is below.")
            else:
                self.views, cells = result
                cells.append(_Cell(None, self._verdict(), "", self._about(w), False))
                self.sheet.show_cells(cells, "")

        self._jobs.lanes.start(Lane.ROOM, work, done, name="Looking at the file", purpose="receivers room")

    def _verdict(self) -> str:
        warned = sum(v.warning for v in self.views)
        if not warned:
            return "Every receiver sees what you mean"
        return f"{count(warned, 'receiver')} of {len(self.views)} {'sees' if warned == 1 else 'see'} something else"

    def _about(self, w: WrittenFile) -> str:
        lines = [w.path.name]
        if w.details is not None:
            d = w.details
            lines += [
                f"{d.space}, {d.file}",
                f"{d.width} × {d.height} px",
                f"metadata: {d.metadata}",
                *([f"left behind: {d.left}"] if d.left else []),
            ]
        if any(v.warning and v.id in ("ignoring", "service") for v in self.views):
            lines.append("\nFor receivers that ignore or strip tags, send sRGB: it is what they assume.")
        lines.append(
            "\nΔE00 against the picture here, at the size shown; the press against its own paper. Web service and press are simulated."
        )
        return "\n".join(lines)

    def print_it(self) -> None:
        """Take the file to the stand-in print room."""
        w, shoot = self.chosen(), self._model.shoot
        if w is None or shoot is None:
            return
        place = shoot.path.parent / "Quill Lane (simulated)"

        def work(job: Job) -> str:
            from velkin.sim.print_room import take

            inbox = place / "in"
            try:
                inbox.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(w.path, inbox / w.path.name)
            except OSError as error:
                raise VelkinError(f"it could not be taken to the print room ({error.strerror or error})", w.path) from error
            ticket = next(t for t in take(inbox, place / "prints") if t.file.name == w.path.name)
            if ticket.refused:
                return f"Quill Lane refused {w.path.name}: {ticket.refused}. A note lies beside it in {_short(inbox)}."
            return f"Quill Lane printed {w.path.name}; the scan of the print is {_short(ticket.scan or place)}."

        def done(result: Any) -> None:
            self._model.report(result) if isinstance(result, VelkinError) else self._model.say(result)

        self._jobs.lanes.start(Lane.ROOM, work, done, name="Printing at Quill Lane")

    def left_behind(self) -> None:
        """Nothing is awaited any more."""
        self._jobs.lanes.forget("receivers room")


def _short(path: Path) -> str:
    return "/".join(path.parts[-3:])
