"""Write the published JSON Schema of the job file: `python -m tools.schema`, after a change of the format."""

from __future__ import annotations

import json
from pathlib import Path

from irongauge.formats.job_json import job_schema

if __name__ == "__main__":
    target = Path(__file__).resolve().parent.parent / "docs" / "formats" / "job-2.schema.json"
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(json.dumps(job_schema(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
