"""The sentences that the core writes: templates taken from its source, with numbers for what is filled in."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

from northmoor import core

CORE = Path(core.__file__).parent
_SENTENCE = re.compile(r"\s?[A-Z{].*\s.*[.?]\s?", re.DOTALL)
_FOLLOWED = re.compile(r"(?<=[.?])\s*(?:\{\d+\})+\s*$")
"""What follows a sentence is one of its own."""
_SQL = re.compile(r"\s*(select|with|create|insert|from|where|copy|attach|pragma)\b", re.IGNORECASE)
_LEAST, _LEAST_OF_LABEL = 7, 3
"""Letters of what is recognised by its own words; the others are only places for what is filled in."""
_SAYING = ("Remedy", "report_progress", "TypeWords", "phrase")
"""Calls whose first argument is read, though it is no sentence."""
_NAMING = {"ValueKind": (2,)}
"""Calls that hold pieces of sentences, and the arguments that do."""
_EXPLAINING = ("error_at", "Fault")
"""Those that say what is wrong with an expression; a sentence is made around it."""


def core_sentences() -> list[str]:
    """Each once, in the order of the source."""
    found: dict[str, None] = {}
    for file in sorted(CORE.rglob("*.py")):
        found |= dict.fromkeys(_of_module(ast.parse(file.read_text())))
    return list(found)


def _of_module(tree: ast.Module) -> Iterator[str]:
    skipped = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}  # docstrings
    labels, refusals = set(), set()
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            skipped |= {id(part) for part in ast.walk(node) if part is not node and isinstance(part, ast.Constant)}
        elif isinstance(node, ast.Call) and node.args:
            labels |= {id(node.args[0])} if _called(node) in (*_SAYING, *_EXPLAINING) else set()
            labels |= {id(node.args[at]) for at in _NAMING.get(_called(node), ())}
            refusals |= {id(node.args[0])} if _called(node) == "ValueError" else set()
        elif isinstance(node, ast.Assign) and getattr(node.targets[0], "id", "") in ("what", "fault", "message"):
            labels.add(id(node.value))
    for node in ast.walk(tree):
        text = _template(node) if id(node) not in skipped else None
        if text is not None:
            yield from _read(text, id(node) in labels, id(node) in refusals)


def _read(text: str, is_label: bool, is_refusal: bool) -> Iterator[str]:
    """What of a template is read as a sentence, if anything is."""
    text = _FOLLOWED.sub("", text)
    if is_refusal and text[-1:] != ".":  # the window makes a sentence of it
        text = f"{text[:1].upper()}{text[1:]}."
    is_sentence = _SENTENCE.fullmatch(text) and not _SQL.match(text) and re.search(r"[a-z]{2,} ", text)
    letters = len(re.findall(r"[^\W\d_]", text))
    if (is_sentence and letters >= _LEAST) or (is_label and letters >= _LEAST_OF_LABEL):
        yield text.strip()


def _called(node: ast.Call) -> str:
    return node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")


def _template(node: ast.AST) -> str | None:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value.replace("{", "{{").replace("}", "}}")
    if not isinstance(node, ast.JoinedStr):
        return None
    parts, count = [], 0
    for part in node.values:
        if isinstance(part, ast.Constant):
            parts.append(str(part.value).replace("{", "{{").replace("}", "}}"))
        else:
            parts.append(f"{{{count}}}")
            count += 1
    return "".join(parts)
