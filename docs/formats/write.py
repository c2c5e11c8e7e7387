"""Writes the JSON Schemas of the job, machine and tool files beside this file: `python docs/formats/write.py`."""

import json
from pathlib import Path

from bluntmirror.job.models import JobFile, MachineFile, ToolsFile

for name, model in (("job", JobFile), ("machine", MachineFile), ("tools", ToolsFile)):
    schema = json.dumps(model.model_json_schema(), indent=1, ensure_ascii=False)
    (Path(__file__).parent / f"{name}.schema.json").write_text(schema + "\n", encoding="utf-8")
