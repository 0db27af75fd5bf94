"""Names of scopes and of the helper columns that carry them in the engine."""

DETAIL = -1


OWN = 1000
"""Added to the scope of a level that is a tree: the rows that are a group's own, without those of groups in it."""


PAGE, PAGES_BEFORE, PAGES_TO_HERE = -2, -3, -4


PAGE_SCOPES = {"page": PAGE, "pages_before": PAGES_BEFORE, "pages_to_here": PAGES_TO_HERE}
"""Scopes of rows that belong to pages, by the names of their windows."""


OF_DOCUMENT = ("page_number", "page_count", "report_title", "data_time")
"""Functions whose values the document knows."""


POSITION = "__nm_position"


COUNTED = "__nm_counted"
"""Whether a row counts, where some are there only for groups that are the way up a tree to kept ones."""


BASE = "__nm_base"
"""The engine's name for the source of a scope's own rows or groups."""


def group_column(scope: int) -> str:
    """The internal column that numbers the groups of a scope from 0."""
    return f"__nm_group_{scope}"


def key_column(scope: int) -> str:
    """The internal column that holds the key of a level that is no column of the rows."""
    return f"__nm_key_{scope - 1}"


def depth_column(scope: int) -> str:
    """The internal column that tells how deep a row's group lies in the tree of a scope."""
    return f"__nm_depth_{scope}"
