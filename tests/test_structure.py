"""The house: who may import whom."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_core_imports_neither_app_nor_stand_ins_nor_qt():
    code = "from importlinter.cli import lint_imports; raise SystemExit(lint_imports(no_cache=True))"
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout


def test_the_lock_names_every_package_of_the_project():
    import re
    import tomllib

    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]

    def locked(name):
        return {line.split("==")[0].lower() for line in (ROOT / name).read_text().splitlines() if "==" in line}

    def names(wanted):
        return {re.split(r"[<>=]", w)[0].lower() for w in wanted}

    assert names(project["dependencies"]) <= locked("requirements.lock")
    assert names(project["optional-dependencies"]["dev"]) <= locked("requirements-dev.lock")
