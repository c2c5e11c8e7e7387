"""Writes what the docs say of the code, from the code: JSON Schemas and the catalogue of findings.

Run it from the root of the project: `python docs/write.py`.
"""

import json
from pathlib import Path

from bluntmirror.export.models import VerdictFile
from bluntmirror.findings import CATALOGUE
from bluntmirror.job.models import JobFile, MachineFile, ToolsFile

DOCS = Path(__file__).parent
MODELS = (("job", JobFile), ("machine", MachineFile), ("tools", ToolsFile), ("verdict", VerdictFile))


def pages() -> dict[Path, str]:
    """Every file written here, with its content."""
    made = {}
    for name, model in MODELS:
        schema = json.dumps(model.model_json_schema(), indent=1, ensure_ascii=False)
        made[DOCS / "formats" / f"{name}.schema.json"] = schema + "\n"
    lines = [
        "# Findings", "", "Every kind of finding, how bad it is by default, what it means and what usually puts it right.",
        "", "| kind | severity | what | meaning | remedy |", "|---|---|---|---|---|",
    ]  # fmt: skip
    lines += [f"| `{k.name}` | {k.severity} | {k.title} | {k.meaning} | {k.remedy} |" for k in CATALOGUE.values()]
    made[DOCS / "findings.md"] = "\n".join(lines) + "\n"
    return made


if __name__ == "__main__":
    for file, text in pages().items():
        file.write_text(text, encoding="utf-8")
