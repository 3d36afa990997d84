"""Methods of dataclasses are taken from what is kept, for the very same text and Python, and are what Python makes."""

import dataclasses
import marshal
import sys

import pytest

from velkin import dataclass_code


@pytest.fixture
def file(monkeypatch, tmp_path):
    """An empty place to keep code in."""
    monkeypatch.setattr(dataclass_code, "_FILE", tmp_path / "kept")
    monkeypatch.setattr(dataclass_code, "_kept", {})
    monkeypatch.setattr(dataclass_code, "_used", {})
    monkeypatch.setattr(dataclasses, "exec", exec, raising=False)
    return tmp_path / "kept"


def point(name="Point"):
    return dataclasses.make_dataclass(name, [("x", int), ("y", int, 7)], frozen=True, order=True)


def start_again(monkeypatch):
    """As a program that starts anew: it knows what the file holds."""
    monkeypatch.setattr(dataclass_code, "_kept", {})
    monkeypatch.setattr(dataclass_code, "_used", {})
    dataclass_code.use()


def compiled(monkeypatch):
    """Texts that are compiled from now on."""
    texts = []
    monkeypatch.setattr(dataclass_code, "compile", lambda text, *a: (texts.append(text), compile(text, *a))[1], raising=False)
    return texts


def test_the_second_start_compiles_nothing(monkeypatch, file):
    texts = compiled(monkeypatch)
    dataclass_code.use()
    point()
    first = len(texts)
    assert first > 5
    dataclass_code.keep()
    start_again(monkeypatch)
    point()
    assert len(texts) == first


def test_what_is_kept_does_what_python_makes(monkeypatch, file):
    dataclass_code.use()
    point()
    dataclass_code.keep()
    start_again(monkeypatch)
    ours = point()
    monkeypatch.setattr(dataclasses, "exec", exec)
    pythons = point()
    for kind in (ours, pythons):
        p = kind(3)
        assert (p.x, p.y, repr(p), p == kind(3), hash(p) == hash((3, 7)), p < kind(3, 8)) == (
            3,
            7,
            "Point(x=3, y=7)",
            True,
            True,
            True,
        )
        with pytest.raises(dataclasses.FrozenInstanceError):
            p.x = 1
        with pytest.raises(TypeError, match="missing 1 required"):
            kind()


@pytest.mark.parametrize("content", [b"", b"nothing", marshal.dumps(7), marshal.dumps(("3.0", {"x = 1": b"?"}))])
def test_what_is_damaged_or_of_another_python_is_passed_over(monkeypatch, file, content):
    file.write_bytes(content)
    dataclass_code.use()
    assert point()(1).y == 7
    dataclass_code.keep()
    made_by, kept = marshal.loads(file.read_bytes())
    assert made_by == sys.version
    assert "x = 1" not in kept


def test_where_nothing_can_be_kept_all_goes_on(monkeypatch, file):
    plain = file.parent / "plain"
    plain.write_bytes(b"no folder")
    monkeypatch.setattr(dataclass_code, "_FILE", plain / "kept")
    dataclass_code.use()
    point()
    dataclass_code.keep()
    assert not file.exists()


def test_what_is_not_used_any_more_goes_when_it_is_much(monkeypatch, file):
    file.write_bytes(marshal.dumps((sys.version, {"x = 1": b"?" * 5_000_000})))
    dataclass_code.use()
    point()
    dataclass_code.keep()
    assert "x = 1" not in marshal.loads(file.read_bytes())[1]
