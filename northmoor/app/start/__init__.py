"""What the window shows while no report is open, and how reports are begun.

Reading order: `recent_reports`, those opened last with their first pages; `start_page` shows them beside what can be
begun; `report_starter` proposes reports on fields that are picked; `start_actions` begin a report from data, from
nothing, or from another report; `file_drops` begin one with a file;
`preferences_dialog` and `keys_dialog` ask what a user prefers.
"""
