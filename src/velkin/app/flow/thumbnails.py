"""Thumbnails of the shoot's frames, drawn through their present paths after the picture is there; those that are seen come first."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.flow.picture_flow import PictureFlow
from velkin.app.flow.service import RenderService
from velkin.app.model.shoot_model import ShootModel
from velkin.core.path import ColourPath

#: How long thumbnails wait for the picture at most, milliseconds.
_AFTER = 400


def path_of_thumbnail(path: ColourPath) -> ColourPath:
    """The part of a path that a thumbnail shows: another destination alone changes none."""
    return path if path.easings else path.to_work


class Thumbnails(QObject):
    """Keeps a drawn thumbnail for each frame and draws anew what is missing or out of date."""

    drawn = pyqtSignal(int)  # frame
    left = pyqtSignal(int, int)  # how many are left, and of how many

    def __init__(self, model: ShootModel, flow: PictureFlow, service: RenderService) -> None:
        super().__init__()
        self._model = model
        self._service = service
        self._images: dict[int, QImage] = {}
        self._paths: dict[int, ColourPath] = {}
        #: The paths of which it is known that the thumbnails follow them; a state keeps those that did not change.
        self._followed: dict[int, ColourPath] = {}
        #: The frames that are listed, those that are seen first; the list sets it.
        self.listed: Callable[[], list[int]] = list
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(_AFTER)
        self._due.timeout.connect(self.draw)
        service.thumbnail.connect(self._drawn)
        service.thumbnails_left.connect(self.left.emit)
        flow.shown.connect(lambda _: self._due.start(30) if self._due.isActive() else None)
        model.opened.connect(self._forget)
        model.changed.connect(lambda _: self.soon())
        model.screen_changed.connect(self._all_anew)
        model.source_changed.connect(self._source_changed)

    def image(self, frame: int) -> QImage | None:
        """The thumbnail of a frame: None before it was drawn, a null image where the source cannot be read."""
        return self._images.get(frame)

    def wanted(self) -> list[tuple[int, ColourPath]]:
        """Listed frames whose thumbnail is missing or was drawn through another path."""
        if self._model.shoot is None:
            return []
        state = self._model.state
        wishes = []
        for frame in self.listed():
            if frame not in state.frames or self._followed.get(frame) is state.path(frame):
                continue
            path = path_of_thumbnail(state.path(frame))
            if self._paths.get(frame) != path:
                wishes.append((frame, path))
            else:
                self._followed[frame] = state.path(frame)
        return wishes

    def soon(self) -> None:
        """Draw what is wanted after the picture, which starts them earlier when it is there."""
        if self._model.shoot is not None:
            self._due.start(_AFTER)

    def draw(self) -> None:
        """Draw what is wanted now."""
        self._due.stop()
        wishes = [(self._model.state.frames[f], path) for f, path in self.wanted()]
        if wishes:
            self._service.draw_thumbnails(wishes, self._model.screen)

    def stop(self) -> None:
        """Draw no more."""
        self._due.stop()

    def _drawn(self, frame: int, path: ColourPath, image: QImage) -> None:
        self._images[frame], self._paths[frame] = image, path
        self.drawn.emit(frame)

    def _forget(self) -> None:
        for kept in (self._images, self._paths, self._followed):
            kept.clear()

    def _source_changed(self, frame: int) -> None:
        """The file of a frame is another; its old thumbnail stays until it is drawn anew."""
        self._paths.pop(frame, None)
        self._followed.pop(frame, None)
        self.soon()

    def _all_anew(self) -> None:
        """Another screen: all are drawn anew; the old ones stay until then."""
        self._paths.clear()
        self._followed.clear()
        self.soon()
