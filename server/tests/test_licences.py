"""What an installation brings of others is listed, as it is locked."""

import importlib.util
from pathlib import Path

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parents[2]


class Licences(SimpleTestCase):
    def test_the_list_is_of_what_is_locked(self) -> None:
        spec = importlib.util.spec_from_file_location("licences", ROOT / "docs" / "licences.py")
        assert spec and spec.loader
        licences = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(licences)
        self.assertEqual(licences.FILE.read_text("utf-8"), licences.page(), "run .venv/bin/python docs/licences.py")
        names = {name.lower() for name, _, _ in licences.python_parts()} | {
            name for name, _, _ in licences.page_parts()
        }
        self.assertLessEqual({"django", "celery", "numba", "react", "antd", "three"}, names)
