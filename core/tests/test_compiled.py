"""Kernels noted before the compiler is there and kernels read after it: both are compiled, and give what plain Python gives."""

import subprocess
import sys
import tempfile
import textwrap
import unittest
from pathlib import Path

from .build import JOBS

JOB = JOBS / "slot-clear"


class Compiled(unittest.TestCase):
    def run_in_a_fresh_process(self, text: str) -> str:
        return subprocess.run(
            [sys.executable, "-c", textwrap.dedent(text)], capture_output=True, text=True, check=True
        ).stdout

    def test_a_small_check_never_loads_the_compiler(self) -> None:
        told = self.run_in_a_fresh_process(f"""
            import sys, pathlib
            from bluntmirror.job import open_job
            from bluntmirror.rehearsal import check_program
            result = check_program(open_job(pathlib.Path({str(JOB)!r})))
            print(len(result.reel.motions), "numba" in sys.modules, "scipy" in sys.modules)
        """)
        self.assertEqual(told.split()[1:], ["False", "False"])

    def test_before_and_after(self) -> None:
        told = self.run_in_a_fresh_process("""
            from bluntmirror import compiled
            from bluntmirror.timeline import law_kernel, reel
            plain = law_kernel.trapezoid(10.0, 0.0, 0.0, 50.0, 100.0)
            compiled.compile_kernels()
            from bluntmirror.geometry import distance_kernel
            import numba
            assert not isinstance(reel.trapezoid, numba.core.dispatcher.Dispatcher)  # until it is called
            print(plain == reel.trapezoid(10.0, 0.0, 0.0, 50.0, 100.0))
            assert reel.trapezoid is law_kernel.trapezoid and isinstance(reel.trapezoid, numba.core.dispatcher.Dispatcher)
            assert distance_kernel.prange is numba.prange
        """)
        self.assertEqual(told.strip(), "True")

    def test_two_at_once_keep_their_code_apart(self) -> None:
        """The same kernel compiled for two kinds of numbers by two processes that both read the list of what is kept before either
        wrote it: each finds its own code afterwards."""
        with tempfile.TemporaryDirectory() as folder:
            kernels = Path(folder) / "doubling.py"
            kernels.write_text(
                "from bluntmirror.compiled import njit\n\n@njit(cache=True)\ndef twice(x):\n    return x + x\n"
            )
            told = self.run_in_a_fresh_process(f"""
                import sys, os
                sys.path.insert(0, {folder!r})
                os.environ["NUMBA_CACHE_DIR"] = {folder!r}
                from bluntmirror import compiled
                compiled.compile_kernels()
                import numba.core.caching as caching
                import doubling
                first = doubling.twice.handed_over()
                second = compiled._compiler.njit(first.py_func, cache=True)  # as another process has it
                write = caching.IndexDataCacheFile._save_index
                def list_both(file, index):  # the other's first, over which this one's is written
                    write(listed["file"], listed["index"])
                    write(file, index)
                def meanwhile(file, index):
                    listed.update(file=file, index=index)
                    caching.IndexDataCacheFile._save_index = list_both
                    second(1.5)
                listed = {{}}
                caching.IndexDataCacheFile._save_index = meanwhile
                first(3)
                caching.IndexDataCacheFile._save_index = write
                for value in 3, 1.5:
                    again = compiled._compiler.njit(first.py_func, cache=True)
                    print(again(value))
            """)
        self.assertEqual(told.split(), ["6", "3.0"])
