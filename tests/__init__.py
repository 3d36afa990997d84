"""Tests of Velkin. A run has a home of its own: nothing of this user is read or changed, and nothing is left behind."""

import atexit
import os
import shutil
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault(
    "OPENBLAS_NUM_THREADS", "1"
)  # two workers on two cores: threads that wait by spinning take each other's time
#: Set before anything of Velkin is imported.
HOME = Path(tempfile.mkdtemp(prefix="velkin-tests-"))
atexit.register(shutil.rmtree, HOME, ignore_errors=True)
os.environ["HOME"] = str(HOME)
for _kind in ("CACHE", "CONFIG", "DATA", "STATE"):
    os.environ[f"XDG_{_kind}_HOME"] = str(HOME / _kind.lower())
os.environ["HYPOTHESIS_STORAGE_DIRECTORY"] = str(HOME / "hypothesis")
#: What the processes of one run share: the first one's home, which those that it starts inherit.
SHARED = Path(os.environ.setdefault("VELKIN_TESTS_SHARED", str(HOME)))
