"""A match in the making: its draft, what is learnt of it on a worker, one at a time, and what it would cost to have it otherwise."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.jobs.matches import Matches
from velkin.core.errors import VelkinError
from velkin.core.match.draft import Draft
from velkin.core.match.outcome import Outcome, Price, outcome
from velkin.core.match.solver import Learnt


class Making(QObject):
    """Learns again whenever the draft is another; the last wish is never lost."""

    changed = pyqtSignal()  # what is learnt, or how much of it is taken, is another
    prices_told = pyqtSignal()
    refused = pyqtSignal(str)  # why nothing can be learnt

    def __init__(self, jobs: Matches) -> None:
        super().__init__()
        self._jobs = jobs
        self.draft = Draft()
        self.learnt: Learnt | None = None
        self.prices: tuple[Price, ...] = ()
        #: Whether a slider is being dragged, so that the next wish follows at once.
        self.dragging = False
        self.learning = False
        self._again = False
        self._kept_as = Draft()
        self._at_work = False

    def begin(self, draft: Draft, name: str) -> None:
        """Begin with a draft, as it is kept already; one without a name gets this."""
        self.stop()
        self._at_work = True
        self.prices = ()
        self._kept_as = draft
        self.draft = draft.named(draft.name or name)

    def stop(self) -> None:
        """Nothing is in the making any more."""
        self._at_work = self.learning = self._again = self.dragging = False
        self.learnt = None

    def take(self, draft: Draft, dragging: bool = False) -> None:
        """Go on with another draft, and learn it."""
        self.draft, self.dragging = draft, dragging
        self.learn()

    def take_amounts(self, draft: Draft, dragging: bool) -> None:
        """Go on with a draft that differs in how much is taken alone; nothing is learnt for that."""
        self.draft, self.dragging = draft, dragging
        self.changed.emit()

    def keep(self, draft: Draft) -> None:
        """It was given or kept as this."""
        self._kept_as = draft

    @property
    def unsaved(self) -> bool:
        """Whether something was learnt that was neither given nor kept."""
        return self.learnt is not None and self.draft != self._kept_as

    def found(self, used: bool) -> Outcome | None:
        """What becomes of all pairs, or of those that are used; None where nothing is learnt."""
        pairs = self.draft.used if used else self.draft.pairs
        if self.learnt is None or not pairs:
            return None
        return outcome(self.learnt, self.draft.wish, self.draft.amounts, pairs)

    def learn(self) -> None:
        """Learn from what there is."""
        if not self._at_work:
            return
        if not self.draft.used:
            self.learnt = None
            self.changed.emit()
        elif self.learning:
            self._again = True
        else:
            self.learning = True
            self._jobs.learn(self.draft, self.dragging, self._learnt)

    def _learnt(self, learnt: Learnt | VelkinError) -> None:
        self.learning = False
        if not self._at_work:
            return
        if isinstance(learnt, VelkinError):
            self.learnt = None
            self.refused.emit(str(learnt))
        else:
            self.learnt = learnt
            if not self.dragging:
                self._jobs.tell_prices(self.draft, self._priced)
        self.changed.emit()
        if self._again:
            self._again = False
            self.learn()

    def _priced(self, prices: tuple[Price, ...]) -> None:
        self.prices = prices
        self.prices_told.emit()
