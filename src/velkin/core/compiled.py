"""Loops over pixels compiled by numba, run over bands on all cores.

The compiler takes most of a second to load, so that it is loaded when a loop is first run over more than a few pixels. Loops that agree to
the bit are run over few as they are written: the same function, interpreted.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from types import FunctionType
from typing import Any

import numpy as np

#: What may be done with sums without changing what is no number: such stays such, and is not assumed away.
_FREE = {"reassoc", "contract", "arcp", "afn", "nsz"}
#: Over so many pixels, all told, loops are done as they are written before the compiler is loaded: it takes as long to load.
FEW = 32_768


class Loop:
    """A loop, compiled on first use, and kept for the next start where there is a folder to keep it in.

    Parameters
    ----------
    function : callable
        Its first argument is an array of pixels.
    exact : bool
        Sums in the order written: the loop agrees to the bit with itself, compiled or not.
    """

    _lock = threading.RLock()
    #: Pixels that all loops together were run over as they are written.
    _plainly = 0

    def __init__(self, function: FunctionType, exact: bool) -> None:
        self._function, self._exact = function, exact
        self._compiled: Callable[..., Any] | None = None
        self._plain: Callable[..., Any] | None = None
        self.__doc__, self.__name__ = function.__doc__, function.__name__

    def __call__(self, *arguments: Any) -> Any:
        """Run it."""
        if self._compiled is not None:
            return self._compiled(*arguments)
        if self._exact and not _loaded.is_set():
            Loop._plainly += len(arguments[0])
            if Loop._plainly <= FEW:
                with np.errstate(all="ignore"):
                    return self.plain()(*arguments)
        found = self.compiled()(*arguments)
        _ran.set()
        return found

    def _twin(self, inner: Callable[[Loop], Callable[..., Any]]) -> FunctionType:
        """The function with other forms of the loops that it calls."""
        f = self._function
        called = {n: v for n in f.__code__.co_names if isinstance(v := f.__globals__.get(n), Loop)}
        world = {**f.__globals__, **{n: inner(v) for n, v in called.items()}}
        twin = FunctionType(f.__code__, world, f.__name__, f.__defaults__, f.__closure__)
        twin.__module__, twin.__qualname__, twin.__doc__ = f.__module__, f.__qualname__, f.__doc__
        return twin

    def plain(self) -> Callable[..., Any]:
        """The loop as it is written, interpreted with all that it calls."""
        if self._plain is None:
            self._plain = self._twin(Loop.plain)
        return self._plain

    def compiled(self) -> Callable[..., Any]:
        """The loop as numba has it; those that it calls are compiled with it."""
        with self._lock:
            if self._compiled is None:
                numba = _compiler()
                twin = self._twin(Loop.compiled)
                options = {"nogil": True, "fastmath": False if self._exact else _FREE, "error_model": "numpy"}
                try:
                    self._compiled = numba.njit(cache=True, **options)(twin)
                except RuntimeError:  # neither beside the program nor in the user's cache may be written
                    self._compiled = numba.njit(**options)(twin)
            return self._compiled


#: Whether the compiler is there already, so that it costs nothing to use it.
_loaded = threading.Event()
#: Whether a compiled loop was run already: the first brings up the whole compiler.
_ran = threading.Event()


def at_hand() -> bool:
    """Whether compiled loops can be run at once; the first of a session waits until the compiler is there."""
    return _ran.is_set()


def _compiler() -> Any:
    """The compiler. SciPy's linear algebra, which it would look for BLAS in, is not loaded with it: no loop has matrices to multiply, and
    it takes as long as a quarter of all the rest."""
    import numba
    import numba.np.linalg as algebra

    def none() -> None:
        raise ImportError

    if not _loaded.is_set() and hasattr(algebra, "ensure_blas"):
        looked_for, algebra.ensure_blas = algebra.ensure_blas, none
        try:
            import numba.np.arraymath
        finally:
            algebra.ensure_blas = looked_for
    _loaded.set()
    return numba


def load_compiler() -> None:
    """Load the compiler now, for who will need it soon."""
    with Loop._lock:
        _compiler()


def jit(function: Callable[..., Any]) -> Any:
    """A loop whose sums may be taken in any order."""
    assert isinstance(function, FunctionType)
    return Loop(function, exact=False)


def exact_jit(function: Callable[..., Any]) -> Any:
    """A loop that must agree to the bit."""
    assert isinstance(function, FunctionType)
    return Loop(function, exact=True)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 2, thread_name_prefix="kernel")


#: Pixels of a band: what three of them take as floats stays near the processor.
BAND = 65536
_here = threading.local()


def within_band() -> bool:
    """Whether the caller works on a band: such a one must never wait for another thread, which may itself wait for the bands."""
    return getattr(_here, "within", False)


def in_bands(work: Callable[[int, int], Any], number: int, band: int = BAND) -> list[Any]:
    """What `work(first, last)` gives for bands of `band` pixels (or rows) at most that together are all, in order, on all cores.

    The bands are of one size and as many for each core, so that none waits for another's last. Called from within such a band it is one
    band: the cores are at work already, and a pool that waits for itself would wait for ever.
    """
    if number <= band or within_band():
        return [work(0, number)]

    cores = os.cpu_count() or 2
    rounds = -(-number // (band * cores))
    size = -(-number // (rounds * cores))

    def one(first: int) -> Any:
        _here.within = True
        try:
            return work(first, min(first + size, number))
        finally:
            _here.within = False

    return list(_pool().map(one, range(0, number, size)))
