"""Leaving the program while it is at work: it ends well, and nothing of the window is left for the interpreter's exit."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

_SCRIPT = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from velkin.app.main import make_application, start
app = make_application()
asked = []
def close():
    asked.extend(type(w).__name__ for w in app.topLevelWidgets() if w.isVisible())
    for w in app.topLevelWidgets():
        w.close()
QTimer.singleShot(int(sys.argv[2]), close)
status = start(Path(sys.argv[1]), False, None)
print(status, asked, app.topLevelWidgets(), flush=True)
"""


@pytest.mark.parametrize("after", [50, 900, 2600])
def test_a_window_that_is_closed_is_taken_down_before_the_program_ends(demo_shoot, after):
    """At once, while the first pictures are read, and while rooms are made ready."""
    words = [sys.executable, "-c", _SCRIPT, str(demo_shoot), str(after)]
    done = subprocess.run(words, capture_output=True, text=True, env=dict(os.environ), timeout=120, check=False)
    assert done.stdout.strip() == "0 ['Window'] []", done.stderr
    assert done.returncode == 0 and done.stderr == ""
