"""From files to tables that the engine queries.

Reading order: `files_driver`, `file_table`, `csv_tsv`, `workbooks`, `json_xml` with `xsd`, `type_detection`.
"""
