"""The report definition: immutable parts, validated as they are read, and edits as functions from report to report.

Reading order: `base` and `lengths`, `links`, `kinds`; the parts `data` (queries, connections, signal logs),
`parameters`, `styles`, `pages`, `output_options`, `blocks`, and `report`, which holds them; `edits`;
`serialization`, from parts to JSON text and back; `clipboard`, `merging`, `page_templates`, `findings`, `schema`.
"""
