"""Grouping steps, whatever they are steps of: a table, a side of a matrix, a chart."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.model.part import Part, Title

RESERVED_WINDOWS = ("report", "page", "pages_before", "pages_to_here", "own")
"""Windows that have a meaning everywhere, so that no level has their names."""


class Keyed(Part):
    """A grouping step: what makes a group, in what order groups stand, and which are kept."""

    name: Title
    """Its name, which is also a window: sum(fare) over route."""
    by: str
    """The expression whose equal values make a group."""
    parent: str | None = None
    """Expression for the key of the group that a group lies in, such as parent_id: then groups form a tree, and a
    group's rows are its own and those of all groups in it. The rows that are a group's own are the window own."""
    order: Literal["ascending", "descending", "as_given"] = "ascending"
    """Order of the groups: by their key, or as the query gives it."""
    order_by: str | None = None
    """Expression over a group's rows that orders the groups in place of their key, such as sum(fare)."""
    keep_groups: str | None = None
    """Condition over a group's rows; groups for which it does not hold are left out, such as count(*) > 10."""
    first_groups: Annotated[int, Field(ge=1, le=1_000_000)] | str | None = None
    """How many groups are kept at most in each group around them, the first in their order: a number, or an expression
    such as :top."""
    listed: tuple[str, ...] = ()
    """Keys, as text, whose groups come first, in this order; the others follow in theirs."""
    others: str | None = None
    """What the one group is called in which all groups after the first are gathered, such as Others; without it, they
    are left out."""
