"""From rows and a table block to `TableData`: rows in order, groups, cells.

Reading order: `evaluation`, `page_totals` (once breaks are known), `partitions` (a table in parts of some groups).
"""
