"""What went wrong inside the program: written to a rotating log in the user's state folder, and never the end of the program.

PyQt ends a program whose slot raises, unless `sys.excepthook` was replaced; here it is, once, by one that writes the log and tells the
window that is open.
"""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from types import TracebackType

from platformdirs import user_state_path
from PyQt6.QtCore import QObject, pyqtSignal

from velkin.core.errors import VelkinError

_LARGEST, _KEPT = 500_000, 3
_log = logging.getLogger("velkin")


class _Teller(QObject):
    """Brings what happened on any thread to the GUI thread."""

    happened = pyqtSignal(str)


class _File(logging.Handler):
    """The log's file, opened with the first line that is written: what turns files over loads much that nobody needs before."""

    def __init__(self) -> None:
        super().__init__()
        self._kept: logging.Handler | None = None

    def emit(self, record: logging.LogRecord) -> None:
        if self._kept is None:
            from logging.handlers import RotatingFileHandler

            self._kept = RotatingFileHandler(path(), maxBytes=_LARGEST, backupCount=_KEPT, encoding="utf-8", delay=True)
            self._kept.setFormatter(self.formatter)
        self._kept.handle(record)


_teller: _Teller | None = None


def path() -> Path:
    """Where the log lies."""
    return user_state_path("velkin") / "velkin.log"


def last_lines(number: int = 400) -> str:
    """The end of the log."""
    try:
        return "\n".join(path().read_text(encoding="utf-8", errors="replace").splitlines()[-number:])
    except OSError:
        return ""


def begin() -> None:
    """Write the log from now on, and let no exception end the program. Without a place to write it goes to the error output."""
    global _teller
    if _teller is not None:
        return
    _teller = _Teller()
    handler: logging.Handler = logging.StreamHandler()
    with suppress(OSError):
        path().parent.mkdir(parents=True, exist_ok=True)
        handler = _File()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s: %(message)s"))
    _log.addHandler(handler)
    sys.excepthook = _unforeseen
    threading.excepthook = lambda args: _unforeseen(args.exc_type, args.exc_value, args.exc_traceback)


def tell(listener: Callable[[str], None]) -> None:
    """Tell this listener, on the GUI thread, of what was not foreseen; nobody else any more."""
    if _teller is None:
        return
    with suppress(TypeError):
        _teller.happened.disconnect()
    _teller.happened.connect(listener)


def _unforeseen(kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
    if error is None or issubclass(kind, KeyboardInterrupt | SystemExit):
        sys.__excepthook__(kind, error or kind(), trace)
        return
    _log.error("not foreseen", exc_info=(kind, error, trace))
    if _teller is not None:
        with suppress(RuntimeError):  # the program is ending
            _teller.happened.emit(_in_words(error))


def _in_words(error: BaseException) -> str:
    if isinstance(error, VelkinError):
        return str(error)
    return (
        f"Something went wrong that was not foreseen ({type(error).__name__}: {error}). What was being done is not done; the shoot keeps "
        "every step before it, and no source file was touched. Help ▸ Open the log has the details."
    )
