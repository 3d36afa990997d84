"""`make mutants MODULES="spaces icc dng render" PER_MODULE=12`: small faults put into the heart of Velkin, and whether its tests see them.

The faults are cosmic-ray's; of each module some are drawn by a fixed seed, put into a copy of the program one at a time, and the tests that
stand for the module are run on it. Survivors are printed with what was changed.
"""

from __future__ import annotations

import ast
import difflib
import os
import random
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names
from progress import tell

ROOT = Path(__file__).parent.parent
CORE = ROOT / "src" / "velkin" / "core"
_SEED = 20
_LONGEST = 240
#: Faults in what only the type checker reads say nothing about tests.
_PASSED_OVER = ("NoOp", "Decorator", "ExceptionReplacer")


@dataclass(frozen=True)
class Group:
    """Modules of one kind, and the tests that stand for them."""

    modules: tuple[str, ...]
    tests: tuple[str, ...]


GROUPS = {
    "spaces": Group(
        ("spaces/adaptation", "spaces/difference", "spaces/lab", "spaces/oklab", "spaces/rgb", "spaces/temperature", "spaces/transfer"),
        ("core/test_constants.py", "core/test_spaces.py", "core/test_conversion.py", "core/test_examples.py"),
    ),
    "icc": Group(
        ("icc/matrix", "icc/read", "icc/write", "icc/write_input", "icc/write_output"),
        ("core/test_icc.py", "core/test_conversion.py", "core/test_camera_profile_files.py", "core/test_proof.py"),
    ),
    "dng": Group(
        ("files/dng_colour", "cameraprofiles/dng", "cameraprofiles/dng_file", "cameraprofiles/matrices"),
        ("core/test_dng_body.py", "core/test_encode_and_builtin.py", "core/test_camera_profile_files.py", "core/test_whitebalance.py"),
    ),
    "render": Group(
        ("render", "path", "conversion/light", "conversion/codes", "conversion/curves", "conversion/pictures", "stages/camera", "stages/steps"),
        ("core/test_render.py", "core/test_conversion.py", "test_same_bytes.py", "core/test_effect_and_outside.py"),
    ),
}  # fmt: skip


def mutants_of(source: str) -> list[tuple[str, str]]:
    """All faults of a module: what kind, and its source with the fault in it."""
    found = []
    for name in operator_names():
        if any(part in name for part in _PASSED_OVER):
            continue
        wanted = get_operator(name)
        if wanted.arguments():  # such as replacing a name by another: nothing to be drawn at random
            continue
        operator = wanted()
        places = sum(1 for node in ast_nodes(get_ast(source)) for _ in operator.mutation_positions(node))
        for place in range(places):
            changed = mutate_code(source, operator, place)
            if changed is not None and changed != source:
                found.append((name, changed))
    return found


def _only_words(before: str, after: str) -> bool:
    """Whether a fault stands in an annotation only, or leaves no program: nothing that tests could see."""

    def plain(text: str) -> str:
        tree = ast.parse(text)
        for node in ast.walk(tree):
            if isinstance(node, ast.arg):
                node.annotation = None
            elif isinstance(node, ast.FunctionDef):
                node.returns = None
            elif isinstance(node, ast.AnnAssign):
                node.annotation = ast.Constant(0)
        return ast.dump(tree)

    try:
        return plain(before) == plain(after)
    except SyntaxError:  # no program any more
        return True


def survives(copy: Path, module: str, changed: str, tests: tuple[str, ...]) -> bool:
    """Whether all tests pass with a fault in a module of the copy."""
    path = copy / "src" / "velkin" / "core" / f"{module}.py"
    sound = path.read_text()
    try:
        path.write_text(changed)
        environment = {
            **os.environ,
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONPATH": str(copy / "src"),
            "PYTHONDONTWRITEBYTECODE": "1",
        }
        words = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *(f"tests/{t}" for t in tests)]
        run = subprocess.run(words, cwd=copy, env=environment, capture_output=True, timeout=_LONGEST)
        return run.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        path.write_text(sound)


def main(names: list[str], per_module: int) -> int:
    """Print how many faults were seen, and each that was not; 1 where any survived."""
    unseen = tried = 0
    with tempfile.TemporaryDirectory(prefix="velkin-mutants-") as folder:
        copy = Path(folder) / "velkin"
        for part in ("src", "tests", "tools"):
            shutil.copytree(ROOT / part, copy / part, ignore=shutil.ignore_patterns("__pycache__"))
        shutil.copy(ROOT / "pyproject.toml", copy)
        for name in names:
            group, seen = GROUPS[name], 0
            of_group = 0
            for module in group.modules:
                source = (CORE / f"{module}.py").read_text()
                faults = [f for f in mutants_of(source) if not _only_words(source, f[1])]
                chosen = random.Random(_SEED).sample(faults, min(per_module, len(faults)))
                for number, (kind, changed) in enumerate(chosen, start=1):
                    tell(f"{module}: {number} of {len(chosen)} ({len(faults)} in all)")
                    of_group += 1
                    if not survives(copy, module, changed, group.tests):
                        seen += 1
                        continue
                    unseen += 1
                    lines = difflib.unified_diff(source.splitlines(), changed.splitlines(), lineterm="", n=0)
                    print(f"SURVIVED in {module}, {kind}:\n  " + "\n  ".join(list(lines)[2:]), flush=True)
            tried += of_group
            print(f"{name}: {seen} of {of_group} faults seen by the tests", flush=True)
    print(f"{tried - unseen} of {tried} faults seen")
    return 1 if unseen else 0


if __name__ == "__main__":
    chosen = sys.argv[1].split() if len(sys.argv) > 1 and sys.argv[1] else list(GROUPS)
    sys.exit(main(chosen, int(os.environ.get("PER_MODULE", "12"))))
