"""What can go wrong, as one tree of exceptions whose sentences are meant for the user.

NorthmoorError
├── ReportFileError       a report or connections file cannot be read or written
│   ├── NewerFileError    it was written by a newer Northmoor
│   └── ReportChangedElsewhere  another program has changed it since it was read
├── ConnectionFault       a connection is unknown or does not answer
│   └── WrongPassword     its server wants a password, or another one
├── QueryError            a query cannot be run or its rows cannot be read
│   ├── MissingParameter  it has a placeholder that no parameter fills
│   └── RefusedQuery      it would do more than read
├── ParameterError        a value does not fit its parameter
│   └── MissingValue      none is given, and there is no default
├── ExpressionError       an expression or template does not parse, or names what is not there
├── EngineRefusal         the embedded engine refuses a statement, in its own words
├── LayoutError           a block cannot be placed
├── OutputError           the result cannot be written
│   └── Unanswered        it may have been taken: whoever was to say so broke off
├── OutOfMemory           work needs more memory than there is
├── DiskFull              work has to write more than the disk has room for
├── Mistake               an error that nobody expected
└── Cancelled             the user stopped the work
"""

import errno
import logging
import traceback
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from difflib import get_close_matches
from pathlib import Path

from msgspec import Struct


class Place(Struct, frozen=True):
    """Where in a report something is: any of its parts may be unknown.

    Each part is the name the user gave: of a connection, query, parameter, block or column; `row` says which
    kind of row of a table (``rows``, ``heading of route``).
    """

    connection: str | None = None
    query: str | None = None
    parameter: str | None = None
    block: str | None = None
    row: str | None = None
    column: str | None = None

    def __str__(self) -> str:
        named = [
            (self.connection, "Connection"),
            (self.query, "Query"),
            (self.parameter, "Parameter"),
            (self.block, "Block"),
        ]
        parts = [f"{kind} {name}" for name, kind in named if name]
        if self.row:
            parts.append(self.row)
        if self.column:
            parts.append(f"column {self.column}")
        return ", ".join(parts)


class NorthmoorError(Exception):
    """A fault in one sentence: `place` (may be empty), what is wrong, and what to do."""

    def __init__(self, message: str, place: Place | None = None) -> None:
        self.message = message
        self.place = place or Place()
        super().__init__(message)

    def __str__(self) -> str:
        where = str(self.place)
        return f"{where}: {self.message}" if where else self.message

    def at(self, place: Place) -> "NorthmoorError":
        """The same error, placed, for callers that know the place better than the raiser."""
        self.place = place
        return self


class Mistake(NorthmoorError):
    """An error that nobody expected: a mistake of ours, not of who made the report."""


class OutOfMemory(NorthmoorError):
    """Work needs more memory than there is for this process."""


class DiskFull(NorthmoorError):
    """Work has to write more than the disk has room for."""


LESS_MEMORY = "take fewer rows, fewer columns or shorter texts"
"""What to do where memory is exhausted."""


@contextmanager
def mistakes_caught(work: str) -> Iterator[None]:
    """Let no error but ours leave a stage of a part's work, so that the rest of the report goes on.

    `work` says what was done, such as ``laying it out``. What was not expected is logged, with its place in the code,
    and becomes a Mistake. Raises whatever of ours is raised inside, OutOfMemory and DiskFull.
    """
    try:
        yield
    except NorthmoorError:
        raise
    except MemoryError as error:
        raise OutOfMemory(f"There is not enough memory for {work}; {LESS_MEMORY}.") from error
    except Exception as error:
        if getattr(error, "errno", None) in (errno.ENOSPC, errno.EDQUOT):
            raise DiskFull(f"The disk is full for {work}; make room on it, and try again.") from error
        logging.getLogger(__name__).warning("A mistake in %s", work, exc_info=True)
        at = traceback.extract_tb(error.__traceback__)[-1]
        details = f"{type(error).__name__} in {Path(at.filename).name}, line {at.lineno}: {str(error)[:200]}"
        raise Mistake(f"Northmoor made a mistake in {work}; please report this: {details}") from error


class ReportFileError(NorthmoorError):
    """A report or connections file cannot be read or written."""


class ReportChangedElsewhere(ReportFileError):
    """Another program, or another window, has changed a report since it was read."""


class NewerFileError(ReportFileError):
    """The file was written by a newer Northmoor and must not be overwritten."""


class ConnectionFault(NorthmoorError):
    """A connection is unknown or does not answer."""


class WrongPassword(ConnectionFault):
    """The server wants a password, or another one."""


class Correction(Struct, frozen=True):
    """What is likely meant in a text: another one in place of so many characters from a position on."""

    position: int
    length: int
    text: str


class QueryError(NorthmoorError):
    """A query cannot be run or its rows cannot be read; `position` is the character of its SQL, from 0, if known;
    `correction` what is likely meant."""

    def __init__(
        self,
        message: str,
        place: Place | None = None,
        position: int | None = None,
        correction: Correction | None = None,
    ) -> None:
        super().__init__(message, place)
        self.position, self.correction = position, correction


class RefusedQuery(QueryError):
    """A query would do more than read one set of rows."""


class MissingParameter(QueryError):
    """A query has a placeholder that no parameter fills; `name` is the placeholder's."""

    def __init__(self, name: str, known: Iterable[str]) -> None:
        self.name = name
        super().__init__(
            f"The SQL has :{name}, and the report has no such parameter. {did_you_mean(name, known) or 'Add it.'}"
        )


class ParameterError(NorthmoorError):
    """A value does not fit its parameter."""


class MissingValue(ParameterError):
    """A parameter must have a value, none is given, and it has no default."""

    def __init__(self, parameter: str) -> None:
        super().__init__("A value is missing; give one, or set a default.", Place(parameter=parameter))


class ExpressionError(NorthmoorError):
    """An expression does not parse or names what is not there; `position` is the character, from 0."""

    def __init__(self, message: str, position: int | None = None, place: Place | None = None) -> None:
        super().__init__(message, place)
        self.position = position


class EngineRefusal(NorthmoorError):
    """The embedded engine refuses a statement, in its own words."""


class LayoutError(NorthmoorError):
    """A block cannot be placed on the page."""


class OutputError(NorthmoorError):
    """The result cannot be written."""


class Unanswered(OutputError):
    """Something may have been taken or not: whoever was to say so broke off."""


class Cancelled(NorthmoorError):
    """The user stopped the work."""

    def __init__(self) -> None:
        super().__init__("Stopped.")


def ended(sentence: str) -> str:
    """A sentence with a full stop, unless it ends with another mark."""
    sentence = sentence.rstrip(".")
    return sentence if sentence.endswith(("?", "!")) else f"{sentence}."


def did_you_mean(name: str, known: Iterable[str]) -> str:
    """A sentence that offers the nearest known name, or lists what there is; empty when nothing is known."""
    names = list(known)
    near = get_close_matches(name, names, 1, 0.6)
    if near:
        return f"Did you mean {near[0]}?"
    return f"There is {', '.join(sorted(names)[:12])}." if names else ""
