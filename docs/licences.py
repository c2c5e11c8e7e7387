"""Writes `licences.md`: everything of others that an installation brings, with its version and licence, from the lock files and what is installed.

Run it from the root of the project: `.venv/bin/python docs/licences.py`.
"""

import json
import re
from importlib.metadata import Distribution, distribution
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FILE = ROOT / "docs" / "licences.md"
LOCKED = re.compile(r"^([A-Za-z0-9._-]+)==([^ \\;]+)", re.MULTILINE)
CLASSIFIER = "License :: OSI Approved :: "
SYSTEM = (
    ("MariaDB server", "GPL-2.0-only"), ("Redis server", "BSD-3-Clause"), ("Pango", "LGPL-2.0-or-later"), ("Chromium (tests only)", "BSD-3-Clause and others"),
)  # fmt: skip


def python_parts() -> list[tuple[str, str, str]]:
    """Name, version and licence of every locked package."""
    locked = LOCKED.findall((ROOT / "requirements" / "full.lock").read_text())
    return sorted((name, version, _licence(distribution(name))) for name, version in locked)


def _licence(package: Distribution) -> str:
    told = package.metadata
    classifiers = [
        line.removeprefix(CLASSIFIER) for line in told.get_all("Classifier") or [] if line.startswith(CLASSIFIER)
    ]
    plain = (told.get("License") or "").strip()
    if len(plain) > 60 or "\n" in plain:
        plain = ""  # some put the whole text there
    return told.get("License-Expression") or " and ".join(classifiers) or plain or "see its files"


def page_parts() -> list[tuple[str, str, str]]:
    """The same of what the page is made of: packages that are no mere tools of the build."""
    locked = json.loads((ROOT / "web" / "package-lock.json").read_text())["packages"]
    return sorted(
        {
            (place.rpartition("node_modules/")[2], told["version"], str(told.get("license") or "see its files"))
            for place, told in locked.items()
            if place and not (told.get("dev") or told.get("devOptional") or told.get("optional"))
        }
    )


def page() -> str:
    lines = [
        "# Licences", "", "What an installation brings of others. The page's parts are shipped with it; the rest is installed from the registries.", "",
    ]  # fmt: skip
    for title, parts in (("Of the page", page_parts()), ("Of the server and the core", python_parts())):
        lines += [f"## {title}", "", "| part | version | licence |", "|---|---|---|"]
        lines += [f"| {' | '.join(part)} |" for part in parts] + [""]
    lines += [
        "## From Debian's packages",
        "",
        "| part | licence |",
        "|---|---|",
        *(f"| {' | '.join(part)} |" for part in SYSTEM),
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    FILE.write_text(page(), encoding="utf-8")
