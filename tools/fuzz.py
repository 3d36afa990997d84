"""`make fuzz CASES=1000000`: so many spoilt files, shared evenly among all parsers; each must be read or refused in Velkin's words."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from fuzz_targets import TARGETS, Target, TooLong, spoilt
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.database import DirectoryBasedExampleDatabase
from progress import tell


def fuzz(target: Target, cases: int, folder: Path) -> None:
    """Try a parser on so many spoilt files; the smallest that breaks it is raised, and tried first the next time."""

    @settings(
        max_examples=cases,
        deadline=4000,
        database=DirectoryBasedExampleDatabase(Path(__file__).parent.parent / ".hypothesis"),
        phases=(Phase.reuse, Phase.generate, Phase.shrink),
        suppress_health_check=list(HealthCheck),
    )
    @given(spoilt(target.corpus()))
    def survives(data: bytes) -> None:
        target.survives(data, folder)

    survives()


def main(cases: int) -> int:
    """Print what each parser survived; 1 where one did not."""
    broken = 0
    each = max(cases // len(TARGETS), 1)
    with tempfile.TemporaryDirectory(prefix="velkin-fuzz-") as name:
        for target in TARGETS:
            begun = time.monotonic()
            tell(f"{target.name} …")
            try:
                fuzz(target, each, Path(name))
            except (Exception, TooLong) as error:  # whatever a parser let through
                broken += 1
                print(f"{target.name}: BROKEN, {type(error).__name__}: {error}", flush=True)
                continue
            print(f"{target.name}: {each} spoilt files in {time.monotonic() - begun:.0f} s", flush=True)
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 10000))
