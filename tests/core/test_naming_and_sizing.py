"""Names that every folder can hold, and sizes that are never enlarged unless asked."""

from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velkin.core.destinations.naming import NameFacts, folded, free_name, stem_of
from velkin.core.destinations.sizing import CUT, EXACT, FULL, LONG, PRINT, WHITE, Size, fitted, long_edge
from velkin.core.errors import NotSupported

FACTS = NameFacts("north-0412", 7, "North / window", datetime(2026, 3, 17, 10, 4), "Spring: skeins", "Web", "sRGB")


@pytest.mark.parametrize(
    ("pattern", "name"),
    [
        ("{nnn} {name}", "007 north-0412"),
        ("{nn}", "07"),
        ("{light}", "North - window"),
        ("{shoot}, {date}", "Spring- skeins, 2026-03-17"),
        ("{name} for {destination} in {space}", "north-0412 for Web in sRGB"),
        ("{name}...", "north-0412"),
        ("con", "con-"),
        ("Lpt1.{name}", "Lpt1.north-0412-"),
    ],
)
def test_words_stand_for_what_they_say(pattern, name):
    assert stem_of(pattern, FACTS) == name


def test_an_unknown_day_is_called_that():
    assert stem_of("{date}", NameFacts("a", 1)) == "undated"


@pytest.mark.parametrize("pattern", ["{nnnnnnn}", "{name:>9}", "a/b", "a\\b", "a\x7fb", "  ", "...", "{name", "é" * 101])
def test_what_no_folder_takes_is_refused(pattern):
    with pytest.raises(NotSupported):
        stem_of(pattern, FACTS)


@given(st.text(max_size=30), st.text(max_size=20), st.text(max_size=20))
def test_nothing_that_stands_in_leaves_the_folder(name, light, shoot):
    try:
        stem = stem_of("{name} {light} {shoot}", NameFacts(name, 1, light, None, shoot))
    except NotSupported:
        return
    assert Path("/out", stem).parent == Path("/out") and stem == stem.strip() and not stem.startswith(".") and stem.encode()


def test_names_that_differ_in_capitals_or_accents_only_are_the_same_file():
    composed, apart = Path("/x/Farbe\u0308.jpg"), Path("/x/FARBE\u0308.JPG")
    assert folded(composed) == folded(apart) == folded(Path("/x/farb\u00eb.jpg"))
    taken = {folded(Path("/nowhere/A.jpg"))}
    assert free_name(Path("/nowhere/a.jpg"), taken).name == "a-2.jpg"


@pytest.mark.parametrize(
    ("size", "expected"),
    [
        (long_edge(2048), (2048, 1365)),
        (long_edge(9000), (6000, 4000)),
        (replace(long_edge(9000), enlarge=True), (9000, 6000)),
        (long_edge(0), (6000, 4000)),
        (Size(FULL), (6000, 4000)),
        (Size(EXACT, width=1000, height=1000, fill=CUT), (1000, 1000)),
        (Size(EXACT, width=1000, height=1000, fill=WHITE), (1000, 1000)),
        (Size(EXACT, width=12000, height=4000, fill=CUT), (6000, 2000)),
        (Size(EXACT, width=12000, height=4000, fill=CUT, enlarge=True), (12000, 4000)),
        (Size(EXACT, width=12000, height=9000, fill=WHITE), (12000, 9000)),
        (Size(PRINT, print_width=30, print_height=20, ppi=300), (3543, 2362)),
        (Size(PRINT, print_width=20, print_height=30, ppi=300), (3543, 2362)),
        (Size(PRINT, print_width=300, print_height=200, ppi=300), (6000, 4000)),
    ],
)
def test_sizes(size, expected):
    assert fitted(size, 6000, 4000).out == expected


def test_a_print_of_too_few_pixels_says_the_resolution_that_it_has():
    assert fitted(Size(PRINT, print_width=30, print_height=20), 6000, 4000).ppi == pytest.approx(300, abs=0.5)
    assert fitted(Size(PRINT, print_width=300, print_height=200), 6000, 4000).ppi == pytest.approx(50.8)
    assert fitted(Size(PRINT, print_width=300, print_height=200, enlarge=True), 6000, 4000).ppi == pytest.approx(300, abs=0.5)
    assert fitted(long_edge(500), 6000, 4000).ppi is None


sizes = st.builds(
    Size,
    st.sampled_from([FULL, LONG, EXACT, PRINT]),
    st.integers(16, 65000),
    st.integers(16, 65000),
    st.integers(16, 65000),
    st.sampled_from([CUT, WHITE]),
    st.floats(0.5, 200),
    st.floats(0.5, 200),
    st.integers(30, 600),
    st.booleans(),
)


@given(sizes, st.integers(1, 20000), st.integers(1, 20000))
def test_nothing_is_enlarged_unless_asked_and_nothing_vanishes(size, width, height):
    fit = fitted(size, width, height)
    assert min(*fit.scaled, *fit.out) >= 1
    if not size.enlarge:
        assert fit.scaled[0] <= width and fit.scaled[1] <= height
    if size.fill == CUT or size.kind != EXACT:
        assert fit.out[0] <= fit.scaled[0] and fit.out[1] <= fit.scaled[1]
    if size.kind in (LONG, FULL):
        assert abs(fit.out[0] * height - fit.out[1] * width) <= max(width, height) * 1.01, "the shape stays"


@pytest.mark.parametrize(
    "size",
    [
        Size("huge"),
        Size(LONG, 5),
        Size(EXACT, width=4),
        Size(EXACT, fill="stretch"),
        Size(PRINT, print_width=0.1),
        Size(PRINT, ppi=5),
        Size(PRINT, print_width=1900.0, ppi=2400),
    ],
)
def test_sizes_that_make_no_sense_are_refused(size):
    with pytest.raises(NotSupported):
        size.check()
