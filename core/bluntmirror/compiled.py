"""Kernels that are compiled when they are first needed.

The compiler takes longer to load than a small program takes to check. So `njit` here only notes a kernel; called before the
compiler is there, it runs as the plain Python that it is. `compile_kernels()`, which whoever has much to do calls first, loads
the compiler and puts the compiled kernels in the place of the noted ones, in every module that names them.

arrays   a kernel gives the same numbers either way: the compiler is not allowed to reorder sums
"""

from __future__ import annotations

import functools
import os
import sys
import threading
import types
from collections.abc import Callable
from typing import Any

MANY = 400  # rows from which on compiled code is worth its loading

_noted: list[Kernel] = []
_compiler: Any = None
_lock = threading.Lock()


class Kernel:
    """A function that will be compiled, until then plain Python."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self.py_func, self.options = function, options
        self.compiled: Any = None

    def __call__(self, *values: Any) -> Any:
        return (self.compiled or self.py_func)(*values)


def njit(*function: Callable[..., Any], **options: Any) -> Any:
    """As the compiler's own decorator, but for when it acts."""
    if not function:
        return lambda own: njit(own, **options)
    if _compiler is not None:
        return _compiler.njit(function[0], **options)
    kernel = Kernel(function[0], options)
    _noted.append(kernel)
    return kernel


def prange(*bounds: int) -> range:
    """A range whose turns may be shared out between threads once it is compiled."""
    return range(*bounds)


def get_thread_id() -> int:
    return 0


def compile_kernels() -> None:
    """Load the compiler and hand every kernel noted so far over to it."""
    if _compiler is None:
        with _lock:
            _hand_over()


def _hand_over() -> None:
    global _compiler
    if _compiler is not None:
        return
    numba = _load_compiler()
    swapped: dict[int, Any] = {id(prange): numba.prange, id(get_thread_id): numba.get_thread_id}
    for kernel in _noted:
        kernel.compiled = numba.njit(kernel.py_func, **kernel.options)
        swapped[id(kernel)] = kernel.compiled
    root = __name__.partition(".")[0]
    for name, module in list(sys.modules.items()):
        if isinstance(module, types.ModuleType) and name.startswith(root) and name != __name__:
            for own, value in list(vars(module).items()):
                if id(value) in swapped:
                    setattr(module, own, swapped[id(value)])
    # Kernels loaded from now on are compiled themselves, and find the compiler's own here.
    globals().update(prange=numba.prange, get_thread_id=numba.get_thread_id)
    _compiler = numba


def _load_compiler() -> Any:
    """The compiler looks for SciPy's linear algebra, which no kernel uses and which takes longer to load than it does itself:
    it is hidden from it while it looks (a kernel that did use it would not compile) — unless another thread might want it.

    Threads that wait for others sleep: where they spin, two take twice and thrice the time of one on a busy machine, and are slower."""
    os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")
    os.environ.setdefault("GOMP_SPINCOUNT", "0")
    hidden = "scipy" not in sys.modules and threading.active_count() == 1
    if hidden:
        sys.modules["scipy"] = None  # type: ignore[assignment]
    try:
        import numba
        import numba.core.caching
        import numba.np.arraymath
    finally:
        if hidden:
            del sys.modules["scipy"]
    numba.core.caching.Cache.load_overload = _load_overload  # type: ignore[method-assign]
    return numba


def _load_overload(cache: Any, signature: Any, target: Any) -> Any:
    """A kernel out of the cache, as the compiler's own does it, but for loading first all that compiling would need: that takes longer
    than the kernels do. Where one is compiled after all, the compiler loads it then."""
    from numba.core.runtime import rtsys  # type: ignore[attr-defined]

    rtsys.initialize(target)
    with cache._guard_against_spurious_io_errors():
        return cache._load_overload(signature, target)


def thread_count() -> int:
    """How many threads compiled kernels share their work out to."""
    compile_kernels()
    return int(_compiler.config.NUMBA_NUM_THREADS)


def share_out_singly() -> None:
    """The turns of a parallel loop go to threads one by one: they are of very different length."""
    compile_kernels()
    _compiler.set_parallel_chunksize(1)


def for_rows(count: int) -> None:
    """Before a kernel goes through so many rows: worth the compiler, or not."""
    if count > MANY:
        compile_kernels()
