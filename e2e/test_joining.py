"""A worker that joins as from another machine: it works while the installation's own stands still, and comes in once for each key."""

import json
import os
import tempfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase

from bench.faults import Shop
from ops import services, worker
from ops.steps import StepFailed

CLEAR = settings.ROOT / "core" / "tests" / "jobs" / "slot-clear"


class Joining(SimpleTestCase):
    def test_a_joined_worker_works_while_the_installations_own_stands_still(self) -> None:
        with tempfile.TemporaryDirectory(prefix="mirror-joining-") as folder:
            here, there = Path(folder) / "here", Path(folder) / "there"
            shop = Shop(here, CLEAR)
            other = services.Children(there / "log")
            try:
                (here / "running.json").write_text(json.dumps({"parent": 0, "ports": shop.ports}))
                with mock.patch.object(services, "is_running", return_value=True):
                    address = worker.invite(here)
                    with mock.patch.dict(os.environ, {"MIRROR_TLS": "1", "MIRROR_HOSTS": "mirror.example,127.0.0.1"}):
                        self.assertTrue(worker.invite(here).startswith("https://mirror.example/join/"))
                with self.assertRaisesRegex(StepFailed, "joined no installation"):
                    worker.begin(other, there)
                with (
                    mock.patch("ops.worker.version", return_value="of before"),
                    self.assertRaisesRegex(StepFailed, "another version"),
                ):
                    worker.join(address, there)
                with self.assertRaisesRegex(StepFailed, "holds no longer"):
                    worker.join(address, there)
                with mock.patch.object(services, "is_running", return_value=True):
                    worker.join(worker.invite(here), there)
                self.assertEqual((there / worker.JOINED).stat().st_mode & 0o077, 0, "its owner alone reads it")
                worker.begin(other, there)
                shop.done(shop.rehearse())
                with shop.frozen("worker"):
                    number = shop.rehearse()
                    shop.done(number)
                told = shop.manage(
                    "shell",
                    "-v",
                    "0",
                    "-c",
                    f"from jobs.models import Rehearsal\nprint(Rehearsal.objects.get(pk={number}).worker)",
                )
                self.assertEqual(told.strip(), worker.joined(there)["MIRROR_WORKER"])
                for wrong in ("http://127.0.0.1:1/join/x", "ftp://here/join/x", "http://127.0.0.1/elsewhere"):
                    with self.assertRaises(StepFailed, msg=wrong):
                        worker.join(wrong, there)
            finally:
                other.stop()
                shop.close()
