"""Choices of formats as they are typed: ``resolution=300``."""

from collections.abc import Sequence

from pydantic import ValidationError

from northmoor.core.errors import ParameterError
from northmoor.core.model.base import refusal
from northmoor.core.model.output_options import OutputOptions


def options_with(base: OutputOptions, texts: Sequence[str]) -> OutputOptions:
    """Options with some changed by texts such as ``tagged=no``. Raises ParameterError for one that does not fit."""
    changes: dict[str, str] = {}
    for text in texts:
        name, sign, value = text.partition("=")
        if not sign or name not in OutputOptions.model_fields:
            known = ", ".join(OutputOptions.model_fields)
            raise ParameterError(f"{text!r} is no choice of a format; write name=value with one of {known}.")
        changes[name] = value
    try:
        return OutputOptions.model_validate({**base.model_dump(), **changes})
    except ValidationError as error:
        name = str(error.errors()[0]["loc"][0])
        raise ParameterError(f"The choice {name}={changes.get(name)} does not fit. {refusal(error)}") from error
