"""What the command line ends with."""

from enum import IntEnum


class ExitCode(IntEnum):
    """What the command line ends with."""

    WRITTEN = 0
    """All is written and nothing is wrong with it."""
    NOT_WRITTEN = 1
    """Nothing is written: data could not be had, a query or block could not be made, or the place not be written to."""
    REFUSED = 2
    """Nothing is written: the command, a value or a report file could not be understood."""
    FAULTY = 3
    """All is written, with faults that are marked on its pages."""
