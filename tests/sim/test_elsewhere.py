"""The finished files that come with the demo have the tag troubles they are there for, and are made once."""

from velkin.core.tags.inspect import inspect
from velkin.sim import elsewhere


def test_every_trouble_is_there_and_made_once(demo_frames, tmp_path):
    steps: list[int] = []
    files = elsewhere.make(tmp_path, demo_frames, steps.append)
    assert len(files) == elsewhere.COUNT and steps == list(range(1, elsewhere.COUNT + 1)) and elsewhere.is_made(tmp_path)
    found = {f.stem: inspect(f) for f in files}
    states = {name: (i.tag.state, i.model, i.tag.space) for name, i in found.items()}
    assert states == {
        "weave-card-1": ("untagged", "rgb", None),
        "weave-card-2": ("untagged", "rgb", None),
        "weave-card-3": ("untagged", "rgb", None),
        "plum-proof": ("damaged", "rgb", None),
        "telephone": ("tagged", "rgb", "p3"),
        "scan": ("tagged", "rgb", "romm"),
        "visitor": ("claimed", "rgb", "srgb"),
        "shade-card": ("tagged", "cmyk", None),
        "ledger-page": ("untagged", "gray", None),
        "poster": ("tagged", "rgb", "srgb"),
    }
    assert any("Exif says sRGB" in note for note in found["scan"].notes)
    before = {f: f.stat().st_mtime_ns for f in files}
    elsewhere.make(tmp_path, demo_frames)
    assert {f: f.stat().st_mtime_ns for f in files} == before
