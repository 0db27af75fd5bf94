"""The JSON Schemas of the library's files, written from the models."""

import json

from northmoor.core.model.base import Part
from northmoor.core.model.clipboard import ClipboardBlocks
from northmoor.core.model.data.connections import Connections
from northmoor.core.model.data.queries import SharedQuery
from northmoor.core.model.page_templates import PageTemplate
from northmoor.core.model.report import Report

SCHEMAS: dict[str, type[Part]] = {
    "report": Report,
    "connections": Connections,
    "query": SharedQuery,
    "blocks": ClipboardBlocks,
    "page": PageTemplate,
}
"""The model of each file, by the name that its schema in docs begins with."""


def schema_text(model: type[Part]) -> str:
    """A schema as the text of its file in docs."""
    schema = model.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"
