"""Sources that change while a shoot is open, or changed while it was closed: noticed, followed where decisions still fit, else held."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass
from datetime import datetime

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QImage

from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.errors import UnreadableFile, VelkinError
from velkin.core.files.digest import digest_of
from velkin.core.path import ColourPath
from velkin.core.render import eased, for_screen, to_working
from velkin.core.shoot.arrivals import Arrival, look_at, stamp_of
from velkin.core.shoot.following import Followed
from velkin.core.shoot.frame import Frame

#: How often sources are looked at, milliseconds.
_EVERY_MS = 2000
#: How many frames are looked at each time.
_AT_ONCE = 500
#: A file that was written to less than this ago may not be whole yet, seconds.
_SETTLED = 0.7


@dataclass(frozen=True)
class News:
    """What happened to a source: when it was noticed, what became of the frame, and its small picture before."""

    at: datetime
    followed: Followed
    before: QImage | None


@dataclass(frozen=True)
class _Found:
    """A source that is another file now: what it is, or why it cannot be read; the small picture as it was."""

    frame: Frame
    stamp: str
    arrival: Arrival | VelkinError
    before: QImage | None


class Watching(Work):
    """Looks at the sources of the open shoot, now and then and whenever the window is turned to again."""

    noticed = pyqtSignal(int)  # frame: there is news of its source

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        #: What happened in this session, by frame.
        self.news: dict[int, News] = {}
        self._seen: dict[int, tuple[str, str]] = {}  # by frame: the digest and the stamp that were found to belong together
        self._looking = self._first = False
        self._next = 0
        self._opened_after = 0
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(lambda: self.look())
        self._model.opened.connect(self._opened)
        app = QGuiApplication.instance()
        if isinstance(app, QGuiApplication):
            app.applicationStateChanged.connect(self._turned_to)

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    def _opened(self) -> None:
        self.news.clear()
        self._seen.clear()
        self._next, self._first = 0, True
        shoot = self._model.shoot
        if shoot is None:
            self._timer.stop()
            return
        try:
            self._opened_after = os.stat(shoot.path).st_mtime_ns
        except OSError:
            self._opened_after = time.time_ns()
        self._timer.start()

    def _turned_to(self, state: Qt.ApplicationState) -> None:
        if state == Qt.ApplicationState.ApplicationActive:
            self.look(True)

    def look(self, everything: bool = False) -> None:
        """Look whether a source changed; what did is followed. Of many frames some are looked at each time, unless it is to be everything."""
        shoot = self._model.shoot
        if shoot is None or shoot.look_only or self._looking:
            return
        self._looking = True
        everything, self._first = everything or self._first, False
        state, screen = self._model.state, self._model.screen
        frames = self._turn(list(state.frames.values()), everything)

        def small_before(frame: Frame, path: ColourPath) -> QImage | None:
            small = self._sources.small_of(frame, path)
            return None if small is None else to_image(for_screen(eased(to_working(small, path), path), path, screen))

        def work(job: Job) -> list[_Found]:
            found = []
            for frame in frames:
                if job.stopped:
                    break
                stamp = self._changed(frame)
                if stamp:
                    found.append(_Found(frame, stamp, _looked_at(frame), small_before(frame, state.path(frame.id))))
            return found

        def done(result: list[_Found] | VelkinError) -> None:
            self._looking = False
            if self._model.shoot is shoot and not isinstance(result, VelkinError):
                for found in result:
                    self._take(found)

        self._lanes.start(Lane.SOURCES, work, done)

    def _turn(self, frames: list[Frame], everything: bool) -> list[Frame]:
        """The frames whose turn it is, the one in the viewer always."""
        if everything or len(frames) <= _AT_ONCE:
            return frames
        first = self._next % len(frames)
        self._next = first + _AT_ONCE
        turn = frames[first : first + _AT_ONCE]
        shown = self._model.frame
        return turn if shown is None else [shown, *(f for f in turn if f.id != shown.id)]

    def _changed(self, frame: Frame) -> str:
        """The stamp of a source that is another file than the frame was made from; empty where it is the same, missing or being written."""
        stamp, written = stamp_of(frame.path)
        known = self._seen.get(frame.id)
        if not stamp or known == (frame.digest, stamp):
            return ""
        if known is None:
            kept = frame.facts.stamp
            if stamp == kept or (not kept and written <= self._opened_after):
                self._seen[frame.id] = frame.digest, stamp
                return ""
        if time.time_ns() - written < _SETTLED * 1e9:
            return ""
        try:
            same = digest_of(frame.path) == frame.digest
        except UnreadableFile:
            return ""
        if same:
            self._seen[frame.id] = frame.digest, stamp
        return "" if same else stamp

    def _take(self, found: _Found) -> None:
        """Follow a source in the shoot."""
        model, frame = self._model, found.frame
        if model.shoot is None or frame.id not in model.state.frames or model.state.frames[frame.id].digest != frame.digest:
            return
        if isinstance(found.arrival, VelkinError):
            self._seen[frame.id] = frame.digest, found.stamp
            model.report(
                f"{frame.path.name} changed and cannot be read now ({found.arrival.message}); what was decided of it is kept."
            )
            return
        arrival, what = found.arrival, []
        if not self._command(lambda s: what.append(s.colour.follow_source(frame.id, arrival))):
            self._seen[frame.id] = frame.digest, found.stamp
            return
        followed: Followed = what[0]
        digest = frame.digest if followed.refused else arrival.digest
        self._seen[frame.id] = digest, found.stamp
        self.news[frame.id] = News(datetime.now(), followed, found.before)
        if not followed.refused:
            model.source_changed.emit(frame.id)
        self._say(frame, followed)
        self.noticed.emit(frame.id)

    def _say(self, frame: Frame, followed: Followed) -> None:
        name = frame.path.name
        if followed.refused:
            self._model.report(
                f"{name} changed: {followed.refused}. The frame stays as it was; remove it and add the file anew."
            )
            return
        differs = f": {followed.differs}" if followed.differs else ""
        if followed.held:
            self._model.report(
                f"{name} changed{differs}. {followed.held[:1].upper()}{followed.held[1:]}: the frame is held for a decision."
            )
        else:
            self._model.say(f"{name} changed{differs}. Its ledger, easings and pins act on it as it is now.")


def _looked_at(frame: Frame) -> Arrival | VelkinError:
    page = 0 if frame.is_raw else frame.picture.page
    try:
        return look_at(frame.path, page)
    except VelkinError as error:
        if not page:
            return error
    try:
        return look_at(frame.path)
    except VelkinError as error:
        return error
