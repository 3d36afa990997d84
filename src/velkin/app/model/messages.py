"""What the program has to say: notices of what was done, which go by themselves, and problems, which stay until they are read."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from datetime import datetime

from PyQt6.QtCore import QObject, pyqtSignal

#: How many messages are remembered.
_REMEMBERED = 500


@dataclass(frozen=True)
class Message:
    """One message."""

    text: str
    at: datetime
    problem: bool


class Messages(QObject):
    """Problems wait one behind the other until each is dismissed; a notice is shown for a while; all can be read again."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        #: Everything that was said, oldest first.
        self.history: deque[Message] = deque(maxlen=_REMEMBERED)
        self._problems: deque[Message] = deque()
        self._notices: deque[Message] = deque()

    @property
    def problem(self) -> Message | None:
        """The problem that is to be read, the oldest first."""
        return self._problems[0] if self._problems else None

    @property
    def waiting(self) -> int:
        """How many problems wait behind it."""
        return max(len(self._problems) - 1, 0)

    @property
    def notice(self) -> Message | None:
        """What was done, as long as it is shown."""
        return self._notices[0] if self._notices else None

    @property
    def notices_waiting(self) -> int:
        """How many notices wait behind it."""
        return max(len(self._notices) - 1, 0)

    @property
    def latest(self) -> str:
        """The last thing that was said; empty when nothing was."""
        return self.history[-1].text if self.history else ""

    def say(self, text: str) -> None:
        """Say what was done."""
        self._keep(text, False, self._notices)

    def insist(self, text: str) -> None:
        """Say what went wrong; the same problem twice in a row is one."""
        if self._problems and self._problems[-1].text == text:
            return
        self._keep(text, True, self._problems)

    def _keep(self, text: str, problem: bool, among: deque[Message]) -> None:
        if not text:
            return
        message = Message(text, datetime.now(), problem)
        self.history.append(message)
        among.append(message)
        self.changed.emit()

    def dismiss(self) -> None:
        """The problem was read."""
        if self._problems:
            self._problems.popleft()
            self.changed.emit()

    def next_notice(self) -> None:
        """The notice was shown long enough."""
        if self._notices:
            self._notices.popleft()
            self.changed.emit()

    def clear(self) -> None:
        """Nothing of what was said concerns what is open now; the history stays."""
        if self._problems or self._notices:
            self._problems.clear()
            self._notices.clear()
            self.changed.emit()
