"""Set-up: everything Velkin needs on a fresh machine, into ``.venv`` of this checkout. Run by ``tools/setup.sh``.

Uses the standard library alone, since nothing else is there yet. Says what it does, stops with one line when it cannot go on, and goes
on from there when it is run again. The stamp that make looks at is set last, after the program has really started once.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from setting_up import libraries, packages, system
from setting_up.telling import Stop, say, shown, stop

HERE = Path(__file__).resolve().parent.parent
VENV = HERE / ".venv"
PYTHON = VENV / "bin" / "python"

#: Megabytes that a whole set-up writes, roughly; with less than that free it is better not begun.
ROOM = 1700


def main(purpose: str) -> None:
    """Set up for `purpose`, ``demo`` or ``test``."""
    _check_folder()
    if not _has_venv_module():
        system.install(["python3-venv"], "Python's module for virtual environments")
        if not _has_venv_module():
            raise Stop(f"{sys.executable} still cannot make virtual environments (modules venv and ensurepip)")
    _environment()
    packages.install(PYTHON, HERE / "requirements.lock", "what the program needs", VENV)
    if purpose == "test":
        packages.install(PYTHON, HERE / "requirements-dev.lock", "what tests and checks need", VENV)
    packages.install_program(PYTHON, HERE, editable=True)
    libraries.complete(PYTHON, HERE / "src" / "velkin")
    if purpose == "test" or os.environ.get("HEADLESS") == "1":
        virtual_screen()
    if purpose == "test":
        reader()
    _compile()
    _start_once()
    (VENV / ".velkin-ready").touch()
    if purpose == "test":
        (VENV / ".velkin-ready-test").touch()
    say("ready")


def virtual_screen() -> None:
    """Bring a virtual screen where there is none."""
    if shutil.which("Xvfb") is None:
        system.install(["xvfb"], "a virtual screen")
        if shutil.which("Xvfb") is None:
            raise Stop("there is still no program Xvfb, the virtual screen")


def reader() -> None:
    """Bring what a screen reader stands on, so that a test can be one: a message bus and the accessibility bus."""
    missing = [] if shutil.which("dbus-daemon") else ["dbus"]
    if not any(Path(folder, "at-spi-bus-launcher").exists() for folder in ("/usr/libexec", "/usr/lib/at-spi2-core")):
        missing.append("at-spi2-core")
    if missing:
        system.install(missing, "a screen reader's test")


def _check_folder() -> None:
    try:
        with tempfile.TemporaryFile(dir=HERE):
            pass
    except OSError as error:
        raise Stop(
            f"the folder {HERE} cannot be written to ({error.strerror}); clone Velkin to a folder of your own"
        ) from error
    free = shutil.disk_usage(HERE).free // 10**6
    if not PYTHON.exists() and free < ROOM:
        raise Stop(f"about {ROOM} MB are needed in {HERE}, and {free} MB are free; make room and run it again")


def _has_venv_module() -> bool:
    return subprocess.run([sys.executable, "-c", "import ensurepip, venv"], capture_output=True).returncode == 0


def _environment() -> None:
    """A virtual environment that works where it lies; one that was copied or moved here, or left half made, is made anew."""
    home = VENV / "velkin-home.txt"
    works = PYTHON.exists() and subprocess.run([str(PYTHON), "-m", "pip", "--version"], capture_output=True).returncode == 0
    if works and home.exists() and home.read_text(encoding="utf-8") == str(VENV):
        return
    if VENV.exists():
        say("the environment in .venv was made elsewhere or not to its end; it is made anew")
        shutil.rmtree(VENV)
    say("virtual environment in .venv")
    made = subprocess.run([sys.executable, "-m", "venv", str(VENV)], capture_output=True, text=True)
    if made.returncode:
        raise Stop(f"the virtual environment could not be made: {packages.reason(made.stdout + made.stderr)}")
    home.write_text(str(VENV), encoding="utf-8")


def _compile() -> None:
    say("compiling the program and its loops over pixels, once")
    subprocess.run([str(PYTHON), "-m", "compileall", "-q", str(HERE / "src")])
    done = subprocess.run([str(PYTHON), str(HERE / "tools" / "warm.py")])
    if done.returncode:
        say("they could not all be compiled now; the rest is compiled when it is first used")


def _start_once() -> None:
    """The program starts: it tells its version, and opens its window on a virtual screen."""
    say("starting the program once")
    velkin = [str(PYTHON), "-m", "velkin"]
    version = subprocess.run([*velkin, "--version"], capture_output=True, text=True)
    if version.returncode:
        raise Stop(f"velkin does not start: {shown(version.stderr)}")
    with tempfile.TemporaryDirectory(dir=VENV) as folder:
        picture = Path(folder) / "window.png"
        home = {f"XDG_{kind}_HOME": str(Path(folder) / kind) for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
        screen = [sys.executable, "-B", str(HERE / "tools" / "virtual_screen.py")]
        opened = subprocess.run(
            [*screen, *velkin, "--screenshot", str(picture)], capture_output=True, text=True, env=os.environ | home
        )
        if opened.returncode or not picture.is_file():
            raise Stop(f"the window does not open: {shown(opened.stderr)}")
    say(f"{version.stdout.strip()} starts")


if __name__ == "__main__":
    try:
        main(sys.argv[1] if len(sys.argv) > 1 else "demo")
    except Stop as reason:
        sys.exit(stop(reason))
    except KeyboardInterrupt:
        sys.exit(stop("interrupted; run it again and it goes on"))
    except OSError as error:
        sys.exit(stop(f"{error.filename or HERE}: {error.strerror}; run it again and it goes on"))
