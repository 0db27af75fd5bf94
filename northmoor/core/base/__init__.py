"""Ground floor: what every stage uses and what knows nothing of reports.

`arrays` (NumPy types), `cache`, `cancellation`, `progress`, `gc_pause`, `memory_limit`, `time_zones`, `atomic_write`,
`file_lock`, `kept_database`, `lazy_exports`, `phrases`, `readable_names`, `replace` (records with some fields changed),
and `apart` (work in processes of its own).
"""
