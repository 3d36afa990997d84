"""The shoot's frames by light, as rows for a list: a header for each light, then its frames, unless it is folded."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QByteArray, QMimeData, QModelIndex, Qt, pyqtSignal

from velkin.app.flow.stops import tag_words
from velkin.app.model.changes import Change
from velkin.app.model.shoot_model import ShootModel
from velkin.app.words import count, light_line
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.state import State

#: Stands for the Held tray among the lights.
HELD = -1
MIME = "application/x-velkin-frames"
ROLES = Qt.ItemDataRole


class Filter(StrEnum):
    """Which frames are listed."""

    ALL = "All frames"
    MARKED = "Chart, neutral and flat frames"
    HELD = "Held: decisions waiting"
    KNOWN = "Finished, space known"
    NOT_KNOWN = "Finished, space not known"
    WITHOUT_PROFILE = "Raw without a chart profile"
    OUT_OF_GAMUT = "Out of gamut for the destination"
    HANDED_OFF = "Handed off"
    NOT_HANDED_OFF = "Not handed off"
    CHANGED = "Changed since written"


@dataclass(frozen=True)
class Row:
    """A header (`frame` is None; `number` frames are under it) or a frame."""

    light: int
    frame: int | None = None
    number: int = 0


class FramesModel(QAbstractListModel):
    """Rows of headers and frames; only rows that changed are told anew."""

    #: Frames were dropped onto a light: their ids and the light's.
    dropped = pyqtSignal(object, int)

    def __init__(self, model: ShootModel, out_of_gamut: Callable[[int], bool]) -> None:
        super().__init__()
        self._model = model
        self._out_of_gamut = out_of_gamut
        self.rows: list[Row] = []
        self._at: dict[int, int] = {}
        self._folded: set[int] = set()
        self.filter = Filter.ALL
        self._edited: dict[int, bool] = {}
        model.opened.connect(self._opened)
        model.changed.connect(self._changed)

    # ---- following --------------------------------------------------------------------------------------------

    def _opened(self) -> None:
        self._folded.clear()
        self._edited.clear()

    def _changed(self, change: Change) -> None:
        if change.of_all or change.written:
            self._edited.clear()
        for frame in change.frames | change.gone:
            self._edited.pop(frame, None)
        rows = self._laid_out()
        if rows != self.rows:
            self._take(rows)
        elif change.of_all or change.written:
            self._tell(0, len(rows) - 1)
        else:
            for frame in change.frames:
                if frame in self._at:
                    self._tell(self._at[frame], self._at[frame])

    def refresh(self) -> None:
        """Lay out anew, as after another filter; where the rows stay the same nothing is done."""
        rows = self._laid_out()
        if rows != self.rows:
            self._take(rows)

    def _take(self, rows: list[Row]) -> None:
        self.beginResetModel()
        self.rows = rows
        self._at = {r.frame: n for n, r in enumerate(rows) if r.frame is not None}
        self.endResetModel()

    def tell_frame(self, frame: int) -> None:
        """A frame looks otherwise: its thumbnail was drawn."""
        if frame in self._at:
            self._tell(self._at[frame], self._at[frame])

    def _tell(self, first: int, last: int) -> None:
        if last >= first:
            self.dataChanged.emit(self.index(first), self.index(last))

    def _laid_out(self) -> list[Row]:
        if self._model.shoot is None:
            return []
        state = self._model.state
        keep = self._keeper(state)
        held = state.held()
        waiting = set(held)
        groups = [(HELD, tuple(held))] if held else []
        groups += [(light.id, tuple(f for f in light.frames if f not in waiting)) for light in state.lights]
        rows: list[Row] = []
        for light, members in groups:
            frames = [f for f in members if keep(f)]
            if not frames and (self.filter is not Filter.ALL or (light != HELD and not members and held)):
                continue
            rows.append(Row(light, None, len(frames)))
            if light not in self._folded:
                rows += [Row(light, f) for f in frames]
        return rows

    def _keeper(self, state: State) -> Callable[[int], bool]:
        """Whether a frame passes the filter."""
        frames = state.frames
        if self.filter in (Filter.HANDED_OFF, Filter.NOT_HANDED_OFF):
            assert self._model.shoot is not None
            done, wanted = self._model.shoot.handoffs.handed_off(), self.filter is Filter.HANDED_OFF
            return lambda f: (f in done) == wanted
        if self.filter is Filter.CHANGED:
            self._find_edited(self._model.notes())
            return lambda f: self._edited.get(f, False)
        return {
            Filter.ALL: lambda f: True,
            Filter.MARKED: lambda f: frames[f].role is not Role.SUBJECT,
            Filter.HELD: lambda f: frames[f].held,
            Filter.KNOWN: lambda f: not frames[f].is_raw and state.path(f).known,
            Filter.NOT_KNOWN: lambda f: not frames[f].is_raw and not state.path(f).known,
            Filter.WITHOUT_PROFILE: lambda f: frames[f].is_raw and frames[f].profile is None,
            Filter.OUT_OF_GAMUT: self._out_of_gamut,
        }[self.filter]

    # ---- what is in the rows ----------------------------------------------------------------------------------

    def edited(self, frame: int) -> bool:
        """Whether a frame changed since it was written; found out when it is asked for."""
        if frame not in self._edited:
            self._find_edited({frame: {}, **self._model.notes(frame)})
        return self._edited[frame]

    def _find_edited(self, notes: dict[int, dict[str, str]]) -> None:
        state = self._model.state
        for frame in notes.keys() - self._edited.keys():
            self._edited[frame] = frame in state.frames and state.changed_since(frame, notes[frame])

    def row_of(self, frame: int | None) -> int:
        """The row of a frame; -1 where it is not listed."""
        return self._at.get(frame, -1) if frame is not None else -1

    def listed(self) -> list[int]:
        """The frames in the order listed."""
        return [r.frame for r in self.rows if r.frame is not None]

    def members(self, light: int) -> tuple[int, ...]:
        """The frames under a header, folded or not."""
        if light == HELD:
            return tuple(self._model.state.held())
        found = next((k.frames for k in self._model.state.lights if k.id == light), ())
        return tuple(f for f in found if not self._model.state.frames[f].held)

    def is_folded(self, light: int) -> bool:
        """Whether a light's frames are folded away."""
        return light in self._folded

    def fold(self, light: int, folded: bool) -> None:
        """Fold a light's frames away, or show them."""
        if folded != (light in self._folded):
            self._folded ^= {light}
            self._take(self._laid_out())

    def header(self, light: int) -> tuple[str, str]:
        """A header's two lines."""
        if light == HELD:
            return "Held", "decisions waiting"
        found = next((k for k in self._model.state.lights if k.id == light), None)
        return ("", "") if found is None else (found.name, light_line(self._model.state, light))

    def _spoken(self, row: Row) -> str:
        """A row for who cannot see it."""
        name, under = self.header(row.light)
        if row.frame is None:
            return f"{name}, {count(row.number, 'frame')}, {under}" + (", folded" if self.is_folded(row.light) else "")
        frame = self._model.state.frames[row.frame]
        parts = [frame.name, _kind(self._model.state, frame)]
        if frame.role is not Role.SUBJECT:
            parts.append(f"{frame.role} frame")
        elif frame.is_layered:
            parts.append("layered")
        if self.edited(row.frame):
            parts.append("changed since written")
        return ", ".join([*parts, f"in {name}"])

    # ---- for the view -----------------------------------------------------------------------------------------

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = ROLES.DisplayRole) -> Any:
        if not index.isValid() or index.row() >= len(self.rows) or self._model.shoot is None:
            return None
        row = self.rows[index.row()]
        if role == ROLES.DisplayRole:
            return self.header(row.light)[0] if row.frame is None else self._model.state.frames[row.frame].name
        if role in (ROLES.AccessibleTextRole, ROLES.ToolTipRole):
            return self._spoken(row)
        return row if role == ROLES.UserRole else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        enabled = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsDropEnabled
        if self.rows[index.row()].frame is None:
            return enabled
        return enabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [MIME]

    def mimeData(self, indexes: Any) -> QMimeData:
        data = QMimeData()
        frames = [self.rows[i.row()].frame for i in indexes]
        data.setData(MIME, QByteArray(",".join(str(f) for f in frames if f is not None).encode()))
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def canDropMimeData(
        self, data: QMimeData | None, action: Qt.DropAction, row: int, column: int, parent: QModelIndex
    ) -> bool:
        return data is not None and data.hasFormat(MIME) and self._light_at(row, parent) is not None

    def dropMimeData(self, data: QMimeData | None, action: Qt.DropAction, row: int, column: int, parent: QModelIndex) -> bool:
        light = self._light_at(row, parent)
        if data is None or light is None or not data.hasFormat(MIME):
            return False
        frames = [int(f) for f in data.data(MIME).data().decode().split(",") if f]
        self.dropped.emit(frames, light)
        return False  # the shoot moves them; no row is to be taken out by the view

    def _light_at(self, row: int, parent: QModelIndex) -> int | None:
        """The light that lies at a place of the list; none at the Held tray."""
        number = parent.row() if parent.isValid() else min(row, len(self.rows)) - 1
        if not 0 <= number < len(self.rows) or self._model.shoot is None:
            return None
        found = self.rows[number]
        light = found.light if found.frame is None else self._model.state.frames[found.frame].light
        return None if light == HELD else light


def _kind(state: State, frame: Frame) -> str:
    if frame.is_raw:
        return "raw"
    words = tag_words(state, frame)[0]
    return f"{words}, decision waiting" if frame.held else words
