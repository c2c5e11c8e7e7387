"""Kernels noted before the compiler is there and kernels read after it: both are compiled, and give what plain Python gives."""

import subprocess
import sys
import textwrap
import unittest

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
            assert reel.trapezoid is law_kernel.trapezoid and isinstance(reel.trapezoid, numba.core.dispatcher.Dispatcher)
            assert distance_kernel.prange is numba.prange
            print(plain == law_kernel.trapezoid(10.0, 0.0, 0.0, 50.0, 100.0))
        """)
        self.assertEqual(told.strip(), "True")
