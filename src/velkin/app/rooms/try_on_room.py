"""The try-on sheet: an untagged picture under every plausible space at once, same pixels, ranked with reasons."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.parts import Bench, Elided, Facts, Words, button, soft, state_label
from velkin.app.words import ASSIGN
from velkin.core.conversion.codes import as_float
from velkin.core.conversion.light import linear_in
from velkin.core.errors import VelkinError
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.render import shown
from velkin.core.sampling import at_most
from velkin.core.spaces.rgb import ROMM, RGBSpace
from velkin.core.tags.plausible import TRIED, Hints, Plausible, ranked, sample_of

_EDGE = 620


@dataclass(frozen=True)
class TriedOn:
    """The picture under one space."""

    plausible: Plausible
    image: QImage


class _Sheet(QWidget):
    """Tiles of the same pixels; arrows and clicks choose one."""

    chosen = pyqtSignal(int)
    taken = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.tiles: list[TriedOn] = []
        self.current = 0
        self.words = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The picture in every space")

    def columns(self) -> int:
        """As many columns as make the pictures largest."""
        return max(range(1, max(len(self.tiles), 1) + 1), key=lambda c: (self._size_in(c)[0], -c))

    def _size_in(self, columns: int) -> tuple[float, float]:
        """Width and height of a picture in so many columns."""
        if not self.tiles:
            return 0.0, 0.0
        rows = (len(self.tiles) + columns - 1) // columns
        image = self.tiles[0].image
        room = ((self.width() - 24) / columns - 16, (self.height() - 24) / rows - 42)
        scale = max(min(room[0] / image.width(), room[1] / image.height()), 0.0)
        return image.width() * scale, image.height() * scale

    def cells(self) -> list[QRectF]:
        """Where each tile lies, its name included; the whole sheet in the middle."""
        columns = self.columns()
        rows = max((len(self.tiles) + columns - 1) // columns, 1)
        width, height = self._size_in(columns)
        cell = (width + 16, height + 42)
        left, top = (self.width() - columns * cell[0]) / 2, (self.height() - rows * cell[1]) / 2
        return [QRectF(left + (i % columns) * cell[0], top + (i // columns) * cell[1], *cell) for i in range(len(self.tiles))]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("surround"))
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if not self.tiles:
            p.fillRect(QRectF(self.width() / 2 - 150, self.height() / 2 - 14, 300, 28), t.colour("panel"))
            p.setPen(t.colour("ink"))
            p.setFont(theme.font(12))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.words)
            return
        for number, (cell, tile) in enumerate(zip(self.cells(), self.tiles, strict=True)):
            place = cell.adjusted(8, 8, -8, -34)
            if number == self.current:
                p.fillRect(place.adjusted(-4, -4, 4, 30), t.colour("chosen"))
            p.drawImage(place, tile.image)
            chip = QRectF(place.left(), place.bottom() + 4, place.width(), 22)
            ink = t.colour("chosen_ink") if number == self.current else t.colour("ink")
            if number != self.current:
                p.fillRect(chip, t.colour("panel"))
            p.setPen(ink)
            p.setFont(theme.font(12, 600))
            p.drawText(chip.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, f"{number + 1}   {tile.plausible.space.name}")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for number, cell in enumerate(self.cells()):
                if cell.contains(event.position()):
                    self.choose(number)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.taken.emit()

    def choose(self, number: int) -> None:
        """Choose a tile."""
        if self.tiles:
            self.current = max(0, min(number, len(self.tiles) - 1))
            name = self.tiles[self.current].plausible.space.name
            self.setAccessibleDescription(f"{self.current + 1} of {len(self.tiles)}: {name}")
            self.update()
            self.chosen.emit(self.current)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.columns(), Qt.Key.Key_Down: self.columns()}
        key = Qt.Key(event.key())
        if key in steps:
            self.choose(self.current + steps[key])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class TryOnRoom(Room):
    """Takes over viewer and bench while spaces are tried on a picture."""

    page = Page.TRY_ON
    taken = pyqtSignal(object)  # Space
    profile_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Try-on sheet")
        self._frame: int | None = None
        self._added: list[Space] = []
        self.sheet = _Sheet()
        self.sheet.chosen.connect(self._show_tile)
        self.sheet.taken.connect(self._take)
        row = self.head
        self._which = Elided()
        row.addWidget(self._which, 1)
        row.addWidget(button("Add a profile…", self.profile_wanted.emit, tip="Try an ICC file too"))
        self.add_back()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        main.addWidget(self.sheet, 1)
        self.lay_out(main, self._bench())

    def _bench(self) -> QWidget:
        bench = Bench("Plausible, not certain")
        self._name = state_label()
        bench.column.addWidget(self._name)
        self._place = soft()
        bench.column.addWidget(self._place)
        bench.section("What speaks for and against it")
        self._reasons = Words()
        self._reasons.setWordWrap(True)
        bench.column.addWidget(self._reasons)
        bench.section("The ranking")
        self._ranking = Facts(24)
        bench.column.addWidget(self._ranking)
        bench.column.addWidget(
            soft("A guess from neutral numbers, the strength of colours, cut-off ends, bits and metadata. You decide.")
        )
        bench.end()
        self.give = button("Assign this space", self._take, True)
        bench.foot.addWidget(self.give)
        self._foot = bench.sentence
        return bench

    def takes(self, frame: int) -> bool:
        """Spaces are tried on pictures whose numbers mean nothing known."""
        f = self._model.state.frames[frame]
        return not f.is_raw and (f.held or not self._model.state.path(frame).known)

    def enter(self, place: Place) -> None:
        """Try spaces on a frame; the place may be about one more space."""
        assert place.frame is not None
        frame = place.frame
        extra = (place.about,) if isinstance(place.about, RGBSpace | ICCSpace) else ()
        if frame != self._frame:
            self._added = []
        self._frame = frame
        self._added += [s for s in extra if s.id not in {a.id for a in self._added}]
        f = self._model.state.frames[frame]
        facts = f.picture
        camera = self._model.state.picture_stage(frame)
        offered = self._jobs.spaces.of_model(facts.colour_model)
        spaces = [s for s in offered if s.id in TRIED or facts.colour_model != "rgb"]
        spaces += [s for s in offered if s.id.startswith(("own-", "icc-")) and s not in spaces][: 8 - len(spaces)]
        spaces += [s for s in self._added if s.id not in {o.id for o in spaces}]
        hints = Hints(facts.bits, f.path.name, facts.unique, facts.exif.colour_space)
        self.sheet.tiles, self.sheet.words = [], "Trying spaces on it …"
        self._which.setText(f"{f.name}: the same numbers, {len(spaces)} meanings")
        self.sheet.update()

        screen = self._model.screen
        edge = round(_EDGE * self.devicePixelRatioF())

        def work(job: Job) -> list[TriedOn]:
            numbers = as_float(self._jobs.sources.source(f.path, camera, True))
            order = ranked(sample_of(numbers), spaces, hints)
            small = at_most(numbers, (edge, edge))
            return [TriedOn(p, to_image(shown(linear_in(small, p.space, ROMM), ROMM, screen))) for p in order]

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
                self.leave()
            else:
                self._show(result)

        self._jobs.lanes.start(Lane.ROOM, work, done, name="Trying spaces", purpose="try-on room")

    def _show(self, tiles: list[TriedOn]) -> None:
        self.sheet.tiles = tiles
        self._ranking.show_rows([(str(n), t.plausible.space.name) for n, t in enumerate(tiles, start=1)])
        self.sheet.choose(0)
        self.sheet.setFocus()

    def _show_tile(self, number: int) -> None:
        tile = self.sheet.tiles[number]
        self._name.setText(tile.plausible.space.name)
        place = {0: "the most plausible", len(self.sheet.tiles) - 1: "the least plausible"}.get(number, f"number {number + 1}")
        self._place.setText(f"{place} of {len(self.sheet.tiles)}")
        self._reasons.setText("\n".join(f"·  {r[:1].upper()}{r[1:]}." for r in tile.plausible.reasons))
        self._foot.setText(f"{tile.plausible.space.name} would be assigned: {ASSIGN}. It is decided on the Source bench.")
        self.give.setText(f"Take {tile.plausible.space.name}")

    def _take(self) -> None:
        if self.sheet.tiles:
            space = self.sheet.tiles[self.sheet.current].plausible.space
            self._model.places.back()
            self.taken.emit(space)

    def left_behind(self) -> None:
        """Nothing is decided, and nothing is awaited any more."""
        self._jobs.lanes.forget("try-on room")
