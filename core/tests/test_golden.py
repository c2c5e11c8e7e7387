"""Golden verdicts: what every demo job came to is held word for word and number for number.

`python -m tests.test_golden`, with `core` and the root on the path, writes them anew; each change of one is explained in its commit.
"""

from __future__ import annotations

import json
import math
import sys
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse

from .shop import folders, rehearsed

GOLDEN = Path(__file__).parent / "golden"
SAME_SHARE = 1e-4  # of a number: another processor rounds sums otherwise


def told(folder: Path) -> dict[str, Any]:
    verdict = verdict_dict(rehearsed(folder))
    del verdict["version"], verdict["checked"]["rules"]  # which rules there are is no matter of the job
    return json.loads(json.dumps(verdict))


def file_of(folder: Path) -> Path:
    return GOLDEN / f"{folder.parent.name}.{folder.name.split('-')[0]}.json"


def differences(old: Any, new: Any, place: str = "") -> list[str]:
    if isinstance(old, dict) and isinstance(new, dict):
        keys = sorted({*old, *new})
        return [
            d for key in keys for d in differences(old.get(key, "absent"), new.get(key, "absent"), f"{place}.{key}")
        ]
    if isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        return [d for i, pair in enumerate(zip(old, new, strict=True)) for d in differences(*pair, f"{place}[{i}]")]
    if isinstance(old, float) and isinstance(new, float) and math.isclose(old, new, rel_tol=SAME_SHARE, abs_tol=2e-4):
        return []
    return [] if old == new else [f"{place}: {old!r} → {new!r}"]


class Golden(unittest.TestCase):
    maxDiff = None

    def test_verdicts_of_the_demo_shop(self) -> None:
        for folder in folders():
            with self.subTest(folder=str(folder.relative_to(folder.parents[1]))):
                self.assertEqual(differences(json.loads(file_of(folder).read_text()), told(folder)), [])


class Unfilmed(unittest.TestCase):
    def test_without_a_film_everything_else_is_the_same(self) -> None:
        """The command line keeps no film: fewer and larger batches of cuts, one surface at the end; the same verdict and stock."""
        for folder in folders():
            if folder.parent.name not in ("cable-clip", "gland-plates"):
                continue
            filmed, plain = rehearsed(folder), rehearse(open_job(folder), filmed=False)
            self.assertEqual(verdict_dict(plain), verdict_dict(filmed))
            for one, other in zip(plain.stocks, filmed.stocks, strict=True):
                self.assertEqual(one.film.versions, [])
                meshes = [cut.final_mesh for cut in (one, other)]
                ordered = [mesh.vertices[np.lexsort(mesh.vertices.T)] for mesh in meshes]
                np.testing.assert_array_equal(*ordered)
                self.assertTrue(meshes[0].closed)


if __name__ == "__main__":
    GOLDEN.mkdir(exist_ok=True)
    for each in folders():
        if not sys.argv[1:] or each.parent.name in sys.argv[1:]:
            file_of(each).write_text(json.dumps(told(each), indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
