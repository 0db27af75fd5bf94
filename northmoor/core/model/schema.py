"""The JSON Schema of report files, written from the models."""

import json

from northmoor.core.model.report import Report


def schema_text() -> str:
    """The schema as the text of docs/report.schema.json."""
    schema = Report.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"
