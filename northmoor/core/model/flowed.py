"""What all blocks share that flow down a page."""

from northmoor.core.model.lengths import Gap
from northmoor.core.model.part import Name, Part


class Flowed(Part):
    """A block's name and its place among others."""

    name: Name
    """The name by which findings and origins speak of it."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""
