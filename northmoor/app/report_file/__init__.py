"""The open report's file: what becomes of changes that are not saved, and of changes that others make.

Reading order: `report_lock`, `open_elsewhere`, `leave_prompt`, `recovery_prompt`, `changed_elsewhere`.
"""
