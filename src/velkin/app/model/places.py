"""Which page is open, and for which frame: the picture with its bench, or a room that takes the place of both."""

from __future__ import annotations

from dataclasses import dataclass
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
    """Where one is. Pages ask to go elsewhere here; the navigator shows what is wanted."""

    changed = pyqtSignal(object)  # Place

    def __init__(self) -> None:
        super().__init__()
        self.now = Place()

    def go(self, page: Page, frame: int | None = None, about: object = None) -> None:
        """Open a page; asked again for the same it begins anew."""
        self.now = Place(page, frame, about)
        self.changed.emit(self.now)

    def back(self) -> None:
        """Back to the picture."""
        if self.now.page is not Page.PICTURE:
            self.go(Page.PICTURE)

    @property
    def at_picture(self) -> bool:
        """Whether the picture and its bench are what is seen."""
        return self.now.page is Page.PICTURE
