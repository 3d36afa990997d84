"""What is kept for the next who asks, and loops in bands: one computation each, within a budget, and nobody waits for himself."""

import os
import threading
import time

import numpy as np
import pytest

from velkin.core import cores
from velkin.core.bands import BAND, in_bands, within_band
from velkin.core.cache import Cache, cached, file_stamp
from velkin.core.cores import all_cores, cores_here, side_by_side


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


def test_whole_files_side_by_side_share_the_cores_and_go_through_their_bands_by_themselves(monkeypatch):
    monkeypatch.setattr(cores, "all_cores", lambda: 4)

    def bands_of_a_file(_):
        return cores_here(), threading.get_ident(), in_bands(lambda a, z: (a, z, threading.get_ident()), 2 * BAND + 7)

    with side_by_side(4) as pool:
        share, worker, bands = pool.submit(bands_of_a_file, None).result()
    assert share == 1 and bands == [(0, BAND, worker), (BAND, 2 * BAND, worker), (2 * BAND, 2 * BAND + 7, worker)]
    with side_by_side(2) as pool:
        share, worker, bands = pool.submit(bands_of_a_file, None).result()
    assert share == 2 and worker not in {b[2] for b in bands}
    assert cores_here() == 4  # of who asked for them


def test_a_share_of_the_cores_holds_for_the_decoder_too():
    import rawpy  # noqa: F401  which loads LibRaw's OpenMP
    from threadpoolctl import threadpool_info

    def threads():
        return {p["num_threads"] for p in threadpool_info() if p["user_api"] == "openmp"}

    with side_by_side(all_cores()) as pool:
        assert pool.submit(threads).result() == {1}
    assert 1 not in threads()
