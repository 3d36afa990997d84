"""What a start loads: nothing before it is needed."""

import subprocess
import sys

import pytest

#: What takes a moment to load and is for some of the work only.
HEAVY = (
    "scipy",
    "numba",
    "PIL",
    "tifffile",
    "exiv2",
    "fpdf",
    "cattrs",
    "colour",
    "pillow_heif",
    "logging.handlers",
    "importlib.resources",
)
#: What reads and writes files of all kinds, where raw files are only looked at.
FORMATS = (
    "velkin.core.files.formats",
    "velkin.core.files.source_contents",
    "velkin.core.files.encode",
    "csv",
    "zipfile",
    "statistics",
)


def loaded_by(code, *names):
    done = subprocess.run(
        [sys.executable, "-c", f"import sys\n{code}\nprint(*(n for n in {names!r} if n in sys.modules))"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    return done.stdout.split()


@pytest.mark.parametrize("module", ["velkin.app.main", "velkin.core.handoff.preflight", "velkin.core.shoot.shoot"])
def test_a_start_loads_nothing_that_only_some_of_the_work_needs(module):
    assert loaded_by(f"import {module}", *HEAVY) == []


def test_a_start_loads_no_format_of_finished_pictures():
    assert loaded_by("import velkin.app.main", *FORMATS) == []


def test_the_command_line_without_loops_loads_neither_compiler_nor_qt():
    code = "from velkin.cli import main\ntry:\n    main(['--version'])\nexcept SystemExit:\n    pass"
    told = loaded_by(code, "PyQt6", "numba", "cv2", "scipy", "numpy")
    assert told[0] == "velkin" and told[2:] == []


def test_a_loop_that_was_compiled_is_run_without_the_compiler():
    code = (
        "import numpy as np\nfrom velkin.core.cameraprofiles.applying import apply_colours\n"
        "from velkin.core.cameraprofiles.models import Matrix, as_rows\n"
        "apply_colours(np.ones((70000, 3), np.float32), Matrix(as_rows(np.eye(3))), np.eye(3))"
    )
    loaded_by(code)  # compiled now, where it has not been yet
    assert loaded_by(code, "llvmlite", "numba", "scipy") == ["llvmlite"]


def test_compiling_brings_the_compiler_up_without_linear_algebra():
    assert loaded_by("from velkin.core.compiled import _compiler\n_compiler()", "numba", "scipy.linalg") == ["numba"]
