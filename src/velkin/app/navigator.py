"""The navigator: shows the page that is open, for the frame it is bound to, and the bench of the open stop.

Pages are listed here, one line each; a room is made when it is first entered. Nothing ever acts on a frame that is not the one named on
screen: a room that is about a frame moves with the selection where it can, and gives way to the picture where it cannot.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import chain
from pkgutil import resolve_name

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QStackedWidget, QWidget

from velkin.app.context import Context
from velkin.app.model.changes import Change
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.turns import paint_next_turn
from velkin.app.widgets.parts import clicks_leave_the_keys

#: Each room, by its module and its class in it; loaded when it is first entered, or ahead of that.
ROOMS = {
    Page.CHART: "velkin.app.rooms.chart_room:ChartRoom",
    Page.CHART_EDITOR: "velkin.app.rooms.chart_editor:ChartEditor",
    Page.FIT: "velkin.app.rooms.fit_room:FitRoom",
    Page.SHELF: "velkin.app.rooms.shelf_room:ShelfRoom",
    Page.TRY_ON: "velkin.app.rooms.try_on_room:TryOnRoom",
    Page.GAMUT: "velkin.app.rooms.gamut_room:GamutRoom",
    Page.INTENTS: "velkin.app.rooms.intents_room:IntentsRoom",
    Page.DESTINATIONS: "velkin.app.rooms.destinations_room:DestinationsRoom",
    Page.RECEIVERS: "velkin.app.rooms.receivers_room:ReceiversRoom",
    Page.MATCH: "velkin.app.rooms.match_room:MatchRoom",
    Page.LAYERS: "velkin.app.rooms.layers_room:LayersRoom",
    Page.COMPARE: "velkin.app.rooms.compare_room:CompareRoom",
    Page.SUPPORT: "velkin.app.rooms.support_room:SupportRoom",
}


#: Milliseconds between two parts of what is made ahead, so that what the hand does comes between.
_PAUSE = 60


def load_rooms() -> None:
    """Load the modules of all rooms, aside, so that entering one the first time does not wait for it."""
    for room in ROOMS.values():
        resolve_name(room)


class Navigator(QObject):
    """Shows pages in the middle of the window."""

    room_made = pyqtSignal(object)  # Room, when it is made

    def __init__(self, context: Context, picture: QWidget, focus: QWidget) -> None:
        super().__init__()
        self._context = context
        self._model = context.model
        self._focus = focus
        self.stack = QStackedWidget()
        self.stack.addWidget(picture)
        self._rooms: dict[Page, _Holder] = {}
        self._place = Place()
        self._ahead = QTimer(self)
        self._ahead.setInterval(_PAUSE)
        context.model.places.may_leave = self.may_leave
        context.model.places.changed.connect(self._go)
        context.model.selection_changed.connect(self._selected)
        context.model.changed.connect(self._changed)

    @property
    def room(self) -> Room | None:
        """The room that is open; None at the picture."""
        holder = self._rooms.get(self._place.page)
        return None if holder is None else holder.room

    def may_leave(self) -> bool:
        """Whether the room that is open may be left; it asks where typed work would be lost."""
        return self.room is None or self.room.may_leave()

    def made(self, page: Page) -> Room:
        """A room, made where it was not entered yet."""
        holder = self._begun(page)
        room = holder.room
        if holder.widget() is None:
            holder.setWidget(room)
            clicks_leave_the_keys(room)
            self.room_made.emit(room)
        return room

    def _begun(self, page: Page) -> _Holder:
        """The place of a room, which is in it once it is made."""
        if page not in self._rooms:
            self._rooms[page] = _Holder(resolve_name(ROOMS[page])(self._context))
            self.stack.addWidget(self._rooms[page])
        return self._rooms[page]

    @property
    def all_made(self) -> bool:
        """Whether every room is made."""
        return len(self._rooms) == len(ROOMS) and all(holder.widget() is not None for holder in self._rooms.values())

    def make_ahead(self, before: Iterable[bool] = ()) -> None:
        """Make the rooms that were not entered yet, a part in each idle moment, so that entering one does not wait for it.

        What is made `before` them comes first, a part of it each time it is asked.
        """
        parts = chain(before, self._parts_ahead())
        self._ahead.timeout.connect(lambda: None if next(parts, False) else self._ahead.stop())
        self._ahead.start()

    def _parts_ahead(self) -> Iterator[bool]:
        for page in ROOMS:
            if page not in self._rooms:
                self._begun(page)
                yield True
                self.made(page)
                yield True
                if page is not self._place.page:
                    self._rooms[page].resize(self.stack.size())
                    self._rooms[page].grab()  # fonts, sizes and the first painting
                yield True

    def _go(self, place: Place) -> None:
        before = self.room
        self._place = place
        paint_next_turn(self.stack)
        if place.page is Page.PICTURE:
            self.stack.setCurrentIndex(0)
            self._focus.setFocus()
        else:
            room = self.made(place.page)
            self.stack.setCurrentWidget(self._rooms[place.page])
            room.enter(place)
        if before is not None and before is not self.room:
            before.left_behind()

    def _selected(self) -> None:
        """Another frame is at hand: the room that is about a frame goes there too, or gives way."""
        place, frame = self._place, self._model.current
        if place.frame is None or place.frame == frame:
            return
        room = self.room
        if room is not None and frame is not None and room.takes(frame):
            if room.keeps_work:
                self._model.places.move(frame)
            else:
                self._model.places.go(place.page, frame)
        else:
            self._model.places.end()

    def _changed(self, change: Change) -> None:
        if self._place.frame is not None and self._place.frame in change.gone:
            self._model.places.end()


class _Holder(QScrollArea):
    """Holds a room, which can be scrolled where the window is too small for it, as on a small screen at 150 %."""

    def __init__(self, room: Room) -> None:
        super().__init__()
        self.room = room
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The room is told first how much there is."""
        self.room.fit_into(self.width())
        super().resizeEvent(event)
