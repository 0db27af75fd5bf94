"""From files to tables that the engine queries.

Reading order: `file_table`, `csv_tsv`, `workbooks`, `parquet`, `json_xml` with `xsd` and `json_schema`,
`type_detection`.
"""
