"""Kernels that are compiled when they are first needed.

The compiler takes longer to load than a small program takes to check. So `njit` here only notes a kernel; called before the
compiler is there, it runs as the plain Python that it is. `compile_kernels()`, which whoever has much to do calls first, loads
the compiler; a kernel that is called after it takes the place of the noted one in every module that names it.

arrays   a kernel gives the same numbers either way: the compiler is not allowed to reorder sums
"""

from __future__ import annotations

import functools
import os
import sys
import threading
import types
import uuid
from collections.abc import Callable
from typing import Any

MANY = 400  # rows from which on compiled code is worth its loading

_noted: list[Kernel] = []
_places: dict[int, list[tuple[types.ModuleType, str]]] = {}  # by the identity of what is named there
_compiler: Any = None
_lock = threading.RLock()


class Kernel:
    """A function that will be compiled, until then plain Python."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self.py_func, self.options = function, options
        self.compiled: Any = None

    def __call__(self, *values: Any) -> Any:
        if _compiler is None:
            return self.py_func(*values)
        return (self.compiled or self.handed_over())(*values)

    def handed_over(self) -> Any:
        """The compiler's own object for it, made when it is first asked for: those of two hundred kernels would cost a short run, which
        calls ten, a tenth of its time."""
        with _lock:
            if self.compiled is None:
                self.compiled = _compiler.njit(self.py_func, **self.options)
                # A call through this object takes longer than a short kernel.
                for module, name in _places.pop(id(self), ()):
                    setattr(module, name, self.compiled)
        return self.compiled


def njit(*function: Callable[..., Any], **options: Any) -> Any:
    """As the compiler's own decorator, but for when it acts."""
    if not function:
        return lambda own: njit(own, **options)
    kernel = Kernel(function[0], options)
    _noted.append(kernel)
    return kernel


def prange(*bounds: int) -> range:
    """A range whose turns may be shared out between threads once it is compiled."""
    return range(*bounds)


def get_thread_id() -> int:
    return 0


_PLAIN = (prange, get_thread_id)  # known to the compiler by the same names


def compile_kernels() -> None:
    """Load the compiler: a kernel called from now on is compiled, or comes out of the cache."""
    global _compiler
    if _compiler is None:
        with _lock:
            if _compiler is None:
                compiler = _load_compiler()
                _put_in_place(compiler)
                _compiler = compiler


def _put_in_place(compiler: Any) -> None:
    """Note where in our modules each kernel is named, and put the compiler's own into the place of what it knows by the same name."""
    wanted = {id(kernel) for kernel in _noted}
    own = {id(plain): getattr(compiler, plain.__name__) for plain in _PLAIN}
    root = __name__.partition(".")[0]
    for module_name, module in list(sys.modules.items()):
        if isinstance(module, types.ModuleType) and module_name.startswith(root):
            for name, value in list(vars(module).items()):
                if id(value) in wanted:
                    _places.setdefault(id(value), []).append((module, name))
                elif id(value) in own:
                    setattr(module, name, own[id(value)])


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
    numba.core.caching.IndexDataCacheFile.save = _save  # type: ignore[method-assign]
    # A kernel that is compiled names others by what stands here for them.
    numba.core.typing.typeof.typeof_impl.register(Kernel, lambda kernel, _: kernel.handed_over()._numba_type_)
    return numba


def _load_overload(cache: Any, signature: Any, target: Any) -> Any:
    """A kernel out of the cache, as the compiler's own does it, but for loading first all that compiling would need: that takes longer
    than the kernels do. Where one is compiled after all, the compiler loads it then."""
    from numba.core.runtime import rtsys  # type: ignore[attr-defined]

    rtsys.initialize(target)
    with cache._guard_against_spurious_io_errors():
        return cache._load_overload(signature, target)


def _save(file: Any, key: Any, code: Any) -> None:
    """Compiled code into the cache, under a name that no other has, and only then into the list. The compiler's own takes the next
    free number: of two processes that compile a kernel at once, each for numbers of another kind, one could find the other's code under
    its own number, and run it. Here the worst is that one of them is not listed, and compiled once more."""
    name = f"{file._index_name.removesuffix('.nbi')}.{uuid.uuid4().hex}.nbc"
    file._save_data(name, code)
    file._save_index({**file._load_index(), key: name})


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
