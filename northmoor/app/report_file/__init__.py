"""The open report's file: what becomes of changes that are not saved, and of changes that others make.

Reading order: `recovery_prompt`, `changed_elsewhere`.
"""
