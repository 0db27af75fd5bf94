"""The open report's file: what becomes of changes that are not saved, and of changes that others make.

Reading order: `file_actions` opens and saves by way of `open_elsewhere` with its `report_lock`, `leave_prompt`,
`recovery_prompt` and `changed_elsewhere`.
"""
