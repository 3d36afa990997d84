"""Spoilt files of every kind are read or refused in Velkin's words: ten thousand in all here, as many as wanted with `make fuzz`."""

import tempfile
from pathlib import Path

import pytest
from fuzz_targets import TARGETS, spoilt
from hypothesis import HealthCheck, Phase, given, settings

EACH = 10_000 // len(TARGETS)


@pytest.mark.parametrize("target", TARGETS, ids=lambda t: t.name)
def test_spoilt_files_are_read_or_refused(target):
    with tempfile.TemporaryDirectory() as folder:

        @settings(max_examples=EACH, deadline=4000, derandomize=True, database=None, phases=(Phase.generate, Phase.shrink),
                  suppress_health_check=list(HealthCheck))  # fmt: skip
        @given(spoilt(target.corpus()))
        def survives(data):
            target.survives(data, Path(folder))

        survives()


@pytest.mark.parametrize("target", TARGETS, ids=lambda t: t.name)
def test_the_sound_files_are_sound(target, tmp_path):
    """What is spoilt must have been readable, or nothing behind the first check would ever be tried."""
    readable = 0
    for number, data in enumerate(target.corpus()):
        path = tmp_path / f"{number}{target.suffix}"
        path.write_bytes(data)
        try:
            target.reads(path)
        except Exception:
            continue
        readable += 1
    assert readable >= 1
