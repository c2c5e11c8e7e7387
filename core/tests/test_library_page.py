"""The page of the core as a library: its examples are run one after the other, as they stand there."""

from __future__ import annotations

import contextlib
import io
import os
import re
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
PAGE = ROOT / "docs" / "library.md"


class Page(unittest.TestCase):
    def test_every_example_runs(self) -> None:
        blocks = re.findall(r"^```python\n(.*?)^```", PAGE.read_text(encoding="utf-8"), re.M | re.S)
        self.assertGreaterEqual(len(blocks), 5)
        told = io.StringIO()
        names: dict[str, object] = {}
        before = Path.cwd()
        os.chdir(ROOT)
        try:
            with contextlib.redirect_stdout(told):
                for number, block in enumerate(blocks, 1):
                    exec(compile(block, f"{PAGE.name}, example {number}", "exec"), names)
        finally:
            os.chdir(before)
        self.assertIn("stop contact.rapid O1001.nc", told.getvalue())
        self.assertIn("tried, and it clears this", told.getvalue())


if __name__ == "__main__":
    unittest.main()
