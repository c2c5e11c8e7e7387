"""Backup and restore: an installation that works is kept while it runs, put into an empty one, and everything compared."""

import hashlib
import shutil
import subprocess
import tarfile
import tempfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase

from bench.faults import Shop
from ops import keeping, services
from ops.steps import StepFailed

CLEAR = settings.ROOT / "core" / "tests" / "jobs" / "slot-clear"


def tables(var: Path, port: int) -> str:
    """Every row of every table, in order."""
    command, env = keeping._client("mariadb-dump", port, var)
    told = subprocess.run(
        [*command, "--order-by-primary", "--skip-dump-date", "--skip-comments", "mirror"], env=env, capture_output=True, check=True
    )  # fmt: skip
    return told.stdout.decode()


def files(var: Path) -> dict[str, str]:
    places = [path for name in keeping.FOLDERS for path in (var / name).rglob("*") if path.is_file()]
    return {path.relative_to(var).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest() for path in places}


class Keeping(SimpleTestCase):
    def test_kept_while_it_runs_and_restored_into_an_empty_one(self) -> None:
        with tempfile.TemporaryDirectory(prefix="mirror-keeping-") as folder:
            here, there, file = Path(folder) / "here", Path(folder) / "there", Path(folder) / "kept.tar.gz"
            shop = Shop(here, CLEAR)
            try:
                shop.done(shop.rehearse())
                (here / "running.json").write_text(
                    f'{{"parent": 0, "ports": {{"database": {shop.ports["database"]}}}}}'
                )
                with mock.patch.object(services, "is_running", return_value=True):
                    told = keeping.backup(file, here)
                rows, kept = tables(here, shop.ports["database"]), files(here)
            finally:
                shop.close()
            self.assertGreater(len(kept), 10)
            self.assertEqual({name: digest for name, digest in told["files"].items() if name != keeping.TABLES}, kept)
            keeping.restore(file, there)
            self.assertEqual(files(there), kept)
            children = services.Children(there / "log")
            try:
                port = services.free_port()
                services.begin_database(children, there, port)
                self.assertEqual(tables(there, port), rows)
            finally:
                children.stop()
            with self.assertRaisesRegex(StepFailed, "already"):
                keeping.restore(file, there)
            self.refused(file, Path(folder))

    def refused(self, file: Path, folder: Path) -> None:
        """What is not whole, or not ours, is told and puts nothing anywhere."""
        whole = file.read_bytes()
        for name, data, says in (
            ("half", whole[: len(whole) // 2], "cannot be read|broken off"), ("none", b"", "cannot be read"), ("text", b"hello", "cannot be read"),
        ):  # fmt: skip
            bad = folder / f"{name}.tar.gz"
            bad.write_bytes(data)
            with self.assertRaisesRegex(StepFailed, says):
                keeping.restore(bad, folder / "empty")
        opened = folder / "opened"
        with tarfile.open(file) as bundle:
            bundle.extractall(opened, filter="data")
        changed = next(path for path in (opened / "store").rglob("*.gz"))
        changed.write_bytes(changed.read_bytes() + b"x")
        for name, more, says in (("changed", {}, "not what was written"), ("outside", {"../out": b"x"}, "outside")):
            bad = folder / f"{name}.tar.gz"
            with tarfile.open(bad, "w:gz") as bundle:
                for path in sorted(path for path in opened.rglob("*") if path.is_file()):
                    bundle.add(path, path.relative_to(opened).as_posix())
                for member in more:
                    bundle.add(changed, member)
            with self.assertRaisesRegex(StepFailed, says):
                keeping.restore(bad, folder / "empty")
        self.assertFalse(
            (folder / "out").exists() or any((folder / "empty" / name).exists() for name in keeping.FOLDERS)
        )
        shutil.rmtree(opened)
