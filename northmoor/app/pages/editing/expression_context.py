"""What an expression can use where it is written, and what computes it there."""

from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from msgspec import Struct, field

from northmoor.core.authoring.completions import Completion
from northmoor.core.authoring.expression_check import KnownNames
from northmoor.core.base.cancellation import CancelToken

ExpressionUse = Literal["value", "condition", "template"]
"""What a text is: an expression for a value, one that has to say yes or no, or words with expressions in braces."""
Enlarge = Callable[[str, ExpressionUse, Callable[[str], object]], object]
"""Goes on with a text in a larger editor, and gives the new one to the function."""
BeginTrial = Callable[[str, bool, Callable[[object], None]], CancelToken]
"""Computes an expression, or a template, in the chosen cell, calls what it is given with the trial or the error, and
returns what stops it."""


class ExpressionContext(Struct, frozen=True):
    """Completions, the names of fields, and values of them; `begin_trial` is None where no cell is chosen."""

    completions: Sequence[Completion] = ()
    names: KnownNames = field(default_factory=KnownNames)
    samples: Mapping[str, str] = field(default_factory=dict)
    begin_trial: BeginTrial | None = None
