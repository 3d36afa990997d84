"""Loops over pixels as machine code: compiled once by numba, kept, and run from then on without it.

Set-up compiles what a session needs; a loop that has not been compiled for the arrays it is given, or that is another since, is compiled when it
is first run. Code that is kept is loaded by LLVM's own loader, which takes a tenth of the time that bringing numba up takes.

A loop is a function over C-contiguous arrays (others are copied, there and back) and numbers, written so that numba compiles it; it returns nothing and makes no arrays, so that its
code needs nothing but the mathematics of the C library. Each says what it runs over, as in "f4:2 f4:1 i8": a type as NumPy writes it and, for an
array, its dimensions; several where it runs over several. Functions that loops call are marked the same way, run over nothing of their own, and
may return numbers. How the code is called is numba's own convention for arrays: no owner, no parent, items, bytes of an item, data, shape, strides.
"""

from __future__ import annotations

import ctypes
import hashlib
import os
import threading
from collections.abc import Callable
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from types import FunctionType, ModuleType
from typing import Any

import numpy as np

from velkin.core.disk_cache import keep_bytes, kept_bytes

#: What may be done with sums without changing what is no number: such stays such, and is not assumed away.
_FREE = {"reassoc", "contract", "arcp", "afn", "nsz"}
#: What a loop is compiled for: each argument's type, and its dimensions (none for a number).
Signature = tuple[tuple[str, int], ...]
#: Every loop of the modules that are loaded.
LOOPS: list[Loop] = []
_lock = threading.RLock()


class Loop:
    """A loop, loaded or compiled when it is first run.

    Parameters
    ----------
    function : callable
        Takes arrays and numbers, returns nothing.
    exact : bool
        Sums in the order written: the loop agrees to the bit with what is written, interpreted.
    signatures : tuple
        What it is compiled for ahead; for anything else it is compiled when it is first run over it.
    """

    def __init__(self, function: FunctionType, exact: bool, signatures: tuple[Signature, ...]) -> None:
        self.function, self.exact, self.signatures = function, exact, signatures
        #: The code that is there, ready to be run.
        self.ready: dict[Signature, Callable[..., Any]] = {}
        self.__doc__, self.__name__ = function.__doc__, function.__name__

    def __call__(self, *arguments: Any) -> None:
        """Run it."""
        signature = tuple(_kind(a) for a in arguments)
        run = self.ready.get(signature) or self.prepare(signature)
        nothing = ctypes.c_int64()
        flat: list[Any] = [ctypes.addressof(nothing), ctypes.addressof(nothing)]
        copies = []
        for given in arguments:
            if not isinstance(given, np.ndarray):
                flat.append(given)
                continue
            a = given if given.flags.c_contiguous else np.ascontiguousarray(given)
            if a is not given:
                copies.append((given, a))
            flat += (None, None, a.size, a.itemsize, a.__array_interface__["data"][0], *a.shape, *a.strides)
        run(*flat)
        for given, a in copies:
            if given.flags.writeable:
                given[...] = a

    def prepare(self, signature: Signature) -> Callable[..., Any]:
        """Load its code, or compile it."""
        with _lock:
            if signature not in self.ready:
                self.ready[signature] = _loaded(self, signature)
            return self.ready[signature]

    def called(self) -> dict[str, Loop]:
        """The loops that this one calls, by the name it calls them by."""
        f = self.function
        return {n: v for n in f.__code__.co_names if isinstance(v := f.__globals__.get(n), Loop)}

    def written(self) -> bytes:
        """All that decides what the loop does: its code, the constants it reads, and the same of the loops that it calls."""
        code, world = self.function.__code__, self.function.__globals__
        constants = [(n, repr(world[n])) for n in code.co_names if n in world and not isinstance(world[n], Loop | ModuleType)]
        own = repr((self.exact, code.co_code, code.co_consts, code.co_names, code.co_varnames, constants)).encode()
        return b"".join([own, *(v.written() for _, v in sorted(self.called().items()))])

    def with_called(self, other: Callable[[Loop], Callable[..., Any]]) -> FunctionType:
        """The function, with other forms of the loops that it calls."""
        f = self.function
        world = {**f.__globals__, **{n: other(v) for n, v in self.called().items()}}
        twin = FunctionType(f.__code__, world, f.__name__, f.__defaults__, f.__closure__)
        twin.__module__, twin.__qualname__ = f.__module__, f.__qualname__
        return twin


def loop(*runs_over: str) -> Callable[[Callable[..., Any]], Any]:
    """A loop whose sums may be taken in any order."""
    return lambda function: _marked(function, False, runs_over)


def exact_loop(*runs_over: str) -> Callable[[Callable[..., Any]], Any]:
    """A loop that must agree to the bit."""
    return lambda function: _marked(function, True, runs_over)


def _marked(function: Callable[..., Any], exact: bool, runs_over: tuple[str, ...]) -> Loop:
    assert isinstance(function, FunctionType)
    signatures = []
    for text in runs_over:
        parts = [word.partition(":") for word in text.split()]
        signatures.append(tuple((np.dtype(kind).str, int(dimensions or 0)) for kind, _, dimensions in parts))
    LOOPS.append(Loop(function, exact, tuple(signatures)))
    return LOOPS[-1]


def _kind(argument: Any) -> tuple[str, int]:
    if isinstance(argument, np.ndarray):
        return argument.dtype.str, argument.ndim
    if isinstance(argument, np.generic):
        return argument.dtype.str, 0
    return "<f8" if isinstance(argument, float) else "<i8", 0


def _loaded(loop: Loop, signature: Signature) -> Callable[..., Any]:
    """A loop's code, ready to be called with flattened arguments; the interpreter's lock is not held while it runs."""
    said = loop.written() + repr((signature, _made_by(), _processor())).encode()
    name = f"{loop.__name__}-{hashlib.sha256(said).hexdigest()[:24]}"
    code = next((c for folder in _folders() if (c := kept_bytes(folder / name)) is not None), None)
    if code is None:
        code = _compiled(loop, signature, name)
        any(keep_bytes(folder / name, code) for folder in _folders())
    types: list[Any] = [ctypes.c_void_p, ctypes.c_void_p]
    for kind, dimensions in signature:
        if dimensions:
            types += [ctypes.c_void_p] * 2 + [ctypes.c_int64] * 2 + [ctypes.c_void_p] + [ctypes.c_int64] * 2 * dimensions
        else:
            types.append(np.ctypeslib.as_ctypes_type(np.dtype(kind)))
    return ctypes.CFUNCTYPE(ctypes.c_int32, *types)(_address(name, code))


def _folders() -> list[Path]:
    """Where code is kept: beside the program, or, where that may not be written, with the user's caches."""
    from platformdirs import user_cache_path

    return [Path(__file__).parent / "__pycache__" / "loops", user_cache_path("velkin") / "loops"]


@lru_cache(maxsize=1)
def _made_by() -> tuple[str, ...]:
    """The compiler that is there: numba, which is not loaded to be asked for its version, by the file that it begins with."""
    import llvmlite

    numba = find_spec("numba")
    assert numba is not None and numba.origin is not None
    return str(os.stat(numba.origin).st_mtime_ns), llvmlite.__version__, np.__version__


@lru_cache(maxsize=1)
def _processor() -> tuple[str, str]:
    import llvmlite.binding as llvm

    return llvm.get_host_cpu_name(), llvm.get_host_cpu_features().flatten()


@lru_cache(maxsize=1)
def _machine() -> Any:
    import llvmlite.binding as llvm

    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    cpu, features = _processor()
    return llvm.Target.from_default_triple().create_target_machine(
        cpu=cpu, features=features, opt=3, jit=True, codemodel="jitdefault"
    )


@lru_cache(maxsize=1)
def _engine() -> Any:
    import llvmlite.binding as llvm

    return llvm.create_mcjit_compiler(llvm.parse_assembly(""), _machine())


def _address(name: str, code: bytes) -> int:
    import llvmlite.binding as llvm

    _engine().add_object_file(llvm.ObjectFileRef.from_data(code))
    _engine().finalize_object()
    return int(_engine().get_function_address(name))


def _compiled(loop: Loop, signature: Signature, name: str) -> bytes:
    """A loop's object code, with one entry of this name."""
    import llvmlite.binding as llvm

    numba = _compiler()
    types = tuple(
        numba.types.Array(numba.from_dtype(np.dtype(kind)), dimensions, "C") if dimensions else numba.from_dtype(np.dtype(kind))
        for kind, dimensions in signature
    )

    def jitted(of: Loop) -> Any:
        free = False if of.exact else _FREE
        return numba.njit(
            nogil=True, fastmath=free, error_model="numpy", no_cpython_wrapper=True, no_cfunc_wrapper=True, _nrt=False
        )(of.with_called(jitted))  # fmt: skip

    made = jitted(loop)
    made.compile(types)
    module = llvm.parse_assembly(made.inspect_llvm(types))
    module.get_function(made.overloads[types].fndesc.llvm_func_name).name = name
    library = ctypes.CDLL(None)
    for f in module.functions:
        if f.is_declaration and not f.name.startswith("llvm."):
            assert hasattr(library, f.name), f"{loop.__name__} needs {f.name}, which a loop may not"
    return bytes(_machine().emit_object(module))


def _compiler() -> Any:
    """The compiler. SciPy's linear algebra, which it would look for BLAS in, is not loaded with it: no loop has matrices to multiply, and
    it takes as long as a quarter of all the rest."""
    import numba
    import numba.np.linalg as algebra

    def none() -> None:
        raise ImportError

    if hasattr(algebra, "ensure_blas"):
        looked_for, algebra.ensure_blas = algebra.ensure_blas, none
        try:
            import numba.np.arraymath
        finally:
            algebra.ensure_blas = looked_for
    return numba
