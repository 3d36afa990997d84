"""What is kept for the next who asks, and loops in bands: one computation each, within a budget, and nobody waits for himself."""

import os
import threading
import time

import numpy as np
import pytest

from velkin.core.bands import BAND, in_bands, within_band
from velkin.core.cache import Cache, cached, file_stamp


def test_threads_that_ask_together_wait_for_one_that_makes_it():
    kept, made, got = Cache(10_000), [], []

    def make():
        made.append(1)
        time.sleep(0.05)
        return np.zeros(10)

    threads = [threading.Thread(target=lambda: got.append(kept.made("key", make))) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 1 and len(got) == 6 and all(g is got[0] for g in got)


def test_what_fails_is_not_kept_and_the_next_one_tries_again():
    kept = Cache(10_000)
    with pytest.raises(ValueError, match="no"):
        kept.made("key", lambda: (_ for _ in ()).throw(ValueError("no")))
    assert kept.made("key", lambda: 3) == 3


def test_the_least_used_go_when_the_budget_is_full():
    kept = Cache(2500)
    for name in "abc":
        kept.put(name, np.zeros(100))  # 800 bytes each
    assert kept.get("a") is not None
    kept.put("d", np.zeros(100))
    assert [name for name in "abcd" if kept.get(name) is not None] == ["a", "c", "d"]
    kept.put("large", np.zeros(10_000))
    assert kept.get("large") is not None and kept.get("d") is None
    kept.forget(lambda key: key == "large")
    assert kept.get("large") is None


def test_a_function_is_asked_once_for_equal_arguments():
    asked = []

    @cached(10_000)
    def square(number):
        asked.append(number)
        return number * number

    assert [square(3), square(3), square(4)] == [9, 9, 16] and asked == [3, 4]


def test_a_stamp_tells_a_file_that_changed(tmp_path):
    file = tmp_path / "f"
    missing = file_stamp(file)
    file.write_bytes(b"one")
    first = file_stamp(file)
    file.write_bytes(b"three")
    assert len({missing, first, file_stamp(file)}) == 3


def test_bands_cover_all_in_order_and_bands_within_bands_are_one():
    inner = []

    def work(first, last):
        inner.append(in_bands(lambda a, z: (a, z), 3 * BAND))
        return first, last, within_band()

    bands = in_bands(work, 4 * BAND + 5)
    firsts, lasts = zip(*(b[:2] for b in bands), strict=True)
    assert (firsts[0], *lasts) == (*firsts, 4 * BAND + 5)  # each begins where the one before ended
    sizes = [last - first for first, last in zip(firsts, lasts, strict=True)]
    assert len(sizes) % (os.cpu_count() or 2) == 0 and max(sizes) <= BAND
    assert max(sizes) - min(sizes) <= len(sizes)
    assert all(b[2] for b in bands) and not within_band()
    assert inner == [[(0, 3 * BAND)]] * len(bands)


def test_a_band_does_not_wait_for_who_may_be_waiting_for_the_bands():
    """One thread makes a table with all cores while all cores' bands ask for that very table."""
    kept, begun = Cache(10_000), threading.Event()

    def make_slowly():
        begun.set()
        time.sleep(0.05)
        in_bands(lambda a, z: None, 8 * BAND)
        return 1

    maker = threading.Thread(target=lambda: kept.made("table", make_slowly), daemon=True)
    asker = threading.Thread(target=lambda: in_bands(lambda a, z: kept.made("table", lambda: 1), 8 * BAND), daemon=True)
    maker.start()
    begun.wait(5)
    asker.start()
    for thread in (maker, asker):
        thread.join(10)
    assert not maker.is_alive() and not asker.is_alive()


def test_an_error_in_a_band_is_raised():
    def work(first, last):
        if first:
            raise ValueError("in a band")

    with pytest.raises(ValueError, match="in a band"):
        in_bands(work, 3 * BAND)
