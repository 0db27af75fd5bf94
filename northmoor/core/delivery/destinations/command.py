"""A command that an administrator of this machine has listed: a library can only name it.

The list is a JSON file outside of any library, in which each command has a program, its arguments and how long it may
take: ``{"to-quay": {"program": "/usr/local/bin/quay", "arguments": ["--for", "{key}", "{files}"], "seconds": 60}}``.
``{files}`` stands for the paths of the files, ``{folder}`` for the folder they are in, ``{key}`` for what the run was
made for. There is no shell. A command that may be run again with the same key says ``"repeatable": true``.
"""

import json
import os
import subprocess
from pathlib import Path
from typing import Annotated

from pydantic import Field, ValidationError

from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.delivery.destinations.destination import CommandDestination
from northmoor.core.delivery.destinations.handing import Handed, Handing
from northmoor.core.errors import OutputError, did_you_mean
from northmoor.core.model.base import Part, refusal

COMMANDS_VARIABLE = "NORTHMOOR_COMMANDS"
"""The environment variable that names the list in place of the usual places."""
_UNIT = "command"


class ListedCommand(Part):
    """A command of the list."""

    program: Annotated[str, Field(pattern=r"^/")]
    """The program, by its full path."""
    arguments: Annotated[tuple[str, ...], Field(max_length=200)] = ("{files}",)
    """Its arguments."""
    seconds: Annotated[int, Field(ge=1, le=86_400)] = 60
    """How long it may take."""
    repeatable: bool = False
    """Whether it may be run again with the same key, where it is not known whether it was."""


def deliver(handing: Handing, destination: CommandDestination) -> Handed:
    """Run a command with a run's files. Raises OutputError where it fails."""
    command = listed_command(destination.command)
    known = handing.notes.of(_UNIT)
    if known is not None and known.state == "done":
        return Handed((destination.command,))
    if known is not None and known.state in ("begun", "unknown") and not command.repeatable:
        handing.notes.note(_UNIT, "unknown")
        return Handed(uncertain=(destination.command,))
    handing.notes.note(_UNIT, "begun")
    try:
        done = subprocess.run(
            [command.program, *_arguments(command, handing)], capture_output=True, text=True, errors="replace",
            check=False, timeout=command.seconds, stdin=subprocess.DEVNULL, cwd=handing.folder / FILES,
            env=dict(os.environ) | {"NORTHMOOR_RUN_KEY": handing.record.key or handing.record.id},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        if command.repeatable:
            raise _failed(handing, f"did not end within {command.seconds} seconds") from None
        handing.notes.note(_UNIT, "unknown")
        return Handed(uncertain=(f"the command did not end within {command.seconds} seconds",))
    except OSError as error:
        raise _failed(handing, f"cannot be started ({error.strerror})") from error
    if done.returncode:
        lines = (done.stderr or done.stdout).strip().splitlines()
        raise _failed(handing, f"ended with {done.returncode}: {lines[-1][:200] if lines else 'it says nothing'}")
    handing.notes.note(_UNIT, "done")
    return Handed((destination.command,))


def _failed(handing: Handing, why: str) -> OutputError:
    handing.notes.note(_UNIT, "failed", why)
    return OutputError(f"The command {why}.")


def _arguments(command: ListedCommand, handing: Handing) -> list[str]:
    files = [str(path) for path in handing.files]
    named = {"{folder}": str(handing.folder / FILES), "{key}": handing.record.key or handing.record.id}
    found: list[str] = []
    for argument in command.arguments:
        found += files if argument == "{files}" else [named.get(argument, argument)]
    return found


def command_lists() -> list[Path]:
    """Where lists of commands are looked for."""
    given = os.environ.get(COMMANDS_VARIABLE)
    if given:
        return [Path(given)]
    own = Path(os.environ.get("XDG_CONFIG_HOME", "~/.config")).expanduser()
    return [Path("/etc/northmoor/commands.json"), own / "northmoor" / "commands.json"]


def listed_command(name: str) -> ListedCommand:
    """A command of the list. Raises OutputError."""
    known: dict[str, object] = {}
    for path in command_lists():
        if path.is_file():
            try:
                found = json.loads(path.read_text(encoding="utf-8"))
                known |= {str(key): value for key, value in found.items() if str(key) not in known}
            except (OSError, ValueError, AttributeError) as error:
                raise OutputError(f"The list of commands {path} cannot be read: {error}.") from error
    if name not in known:
        listed = did_you_mean(name, known) or f"An administrator lists it in {command_lists()[0]}."
        raise OutputError(f"No command {name!r} is listed on this machine. {listed}")
    try:
        return ListedCommand.model_validate(known[name])
    except ValidationError as error:
        raise OutputError(f"The command {name!r} of the list is not complete. {refusal(error)}") from error
