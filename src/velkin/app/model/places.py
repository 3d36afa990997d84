"""Which page is open, and for which frame: the picture with its bench, or a room that takes the place of both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

from PyQt6.QtCore import QObject, pyqtSignal


class Page(StrEnum):
    """The pages that the middle of the window can show."""

    PICTURE = "picture"
    CHART = "chart"
    CHART_EDITOR = "chart editor"
    FIT = "fit report"
    SHELF = "shelf"
    TRY_ON = "try-on"
    GAMUT = "gamut"
    INTENTS = "intents"
    DESTINATIONS = "destinations"
    RECEIVERS = "receivers"
    MATCH = "match"
    LAYERS = "layers"
    COMPARE = "compare"
    SUPPORT = "support"


@dataclass(frozen=True)
class Place:
    """An open page.

    Attributes
    ----------
    page : Page
    frame : int or None
        The frame that the page is bound to; None for pages that are about no frame.
    about : object
        What else the page was asked to show, such as a destination's id.
    """

    page: Page = Page.PICTURE
    frame: int | None = None
    about: object = None


class Places(QObject):
    """Where one is. Pages ask to go elsewhere here; the navigator shows what is wanted.

    Attributes
    ----------
    now : Place
    may_leave : callable
        Whether the page that is open may be left; asks where typed work would be lost. The navigator answers it.
    """

    changed = pyqtSignal(object)  # Place

    def __init__(self) -> None:
        super().__init__()
        self.now = Place()
        self.may_leave: Callable[[], bool] = lambda: True

    def go(self, page: Page, frame: int | None = None, about: object = None) -> bool:
        """Open a page, and whether it was; asked again for the same it begins anew."""
        if not self.may_leave():
            return False
        self._show(Place(page, frame, about))
        return True

    def move(self, frame: int) -> None:
        """Have the open page be about another frame, where nothing of its work is lost by that."""
        self._show(replace(self.now, frame=frame))

    def back(self) -> bool:
        """Back to the picture, and whether one is there."""
        return self.at_picture or self.go(Page.PICTURE)

    def end(self) -> None:
        """Back to the picture without asking: what the open page is about is no more."""
        if not self.at_picture:
            self._show(Place())

    def _show(self, place: Place) -> None:
        self.now = place
        self.changed.emit(place)

    @property
    def at_picture(self) -> bool:
        """Whether the picture and its bench are what is seen."""
        return self.now.page is Page.PICTURE
