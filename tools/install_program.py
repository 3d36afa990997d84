"""`make install`: the program and its packages in an environment of their own, made whole beside the old one before it takes its place."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import venv
from pathlib import Path

from setting_up import packages
from setting_up.telling import Stop, say, stop

HERE = Path(__file__).resolve().parent.parent


def main(program: Path) -> None:
    """Make the environment at `program`, or bring the one there up to date."""
    python = program / "bin" / "python"
    if program.exists() and subprocess.run([str(python), "--version"], capture_output=True).returncode:
        shutil.rmtree(program)  # left half made, or its Python is gone
    if not python.exists():
        say(f"an environment for the program in {program}")
        venv.create(program, with_pip=True)
    packages.install(python, HERE / "requirements.lock", "what the program needs", program)
    with tempfile.TemporaryDirectory() as folder:  # built from a copy, so that nothing is left in the checkout
        copy = Path(folder) / "velkin"
        copy.mkdir()
        for name in ("pyproject.toml", "README.md", "LICENSE"):
            shutil.copy(HERE / name, copy)
        shutil.copytree(HERE / "src", copy / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        packages.install_program(python, copy, editable=False)
    done = subprocess.run([str(python), "-P", "-m", "velkin", "--version"], capture_output=True, text=True, cwd="/")
    if done.returncode:
        raise Stop(f"the installed program does not start: {packages.reason(done.stderr)}")
    say(f"{done.stdout.strip()} is installed")


if __name__ == "__main__":
    try:
        main(Path(sys.argv[1]))
    except Stop as reason:
        sys.exit(stop(reason))
    except (OSError, subprocess.CalledProcessError) as error:
        sys.exit(stop(f"{error}; run it again and it goes on"))
