"""The types of expressions, found by binding them in the engine from the inside out, before any row is computed.

Each part is bound by itself, its operands replaced by missing values of their types, so that the part whose operands do
not fit is known. What has no known type fits everywhere: a name that is nowhere, a computed value, and a parameter,
whose value the engine casts to what is wanted of it.
"""

import re
from collections.abc import Iterator, Mapping

from msgspec import Struct
from sqlglot import exp

from northmoor.core.engine.binding import scalar_type
from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.expr.language import WINDOW_FUNCTIONS, Expression, function_name

_OWN = {
    "label": "VARCHAR", "page_number": "BIGINT", "page_count": "BIGINT", "report_title": "VARCHAR",
    "data_time": "TIMESTAMP", "depth": "BIGINT", "row_block": "BIGINT", "row_number": "BIGINT",
}  # fmt: skip
"""Types of the product's own functions."""
_AS_WRITTEN = (exp.Literal, exp.Boolean, exp.Null, exp.Star, exp.Var, exp.DataType, exp.Identifier, exp.Interval)
"""What is bound as it is: the engine gives a text that is written out the type that is wanted of it."""
_AROUND = (exp.Ordered, exp.Order, exp.Distinct, exp.Tuple)
"""What is no value by itself, but holds some."""
_ARITHMETIC: Mapping[type[exp.Expr], str] = {
    exp.Add: "+", exp.Sub: "-", exp.Mul: "*", exp.Div: "/", exp.IntDiv: "//", exp.Mod: "%", exp.Neg: "-",
}  # fmt: skip
_QUOTED = re.compile(r"'[^']*'|\"[^\"]*\"")
_NO_CONDITIONS = ("DATE", "TIME", "INTERVAL", "VARCHAR")
_COMPARING = (exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Between, exp.In, exp.NullSafeEQ, exp.NullSafeNEQ)
_ONE_OF = (exp.Case, exp.If, exp.Coalesce, exp.Greatest, exp.Least)


class TypeWords(Struct, frozen=True):
    """How values whose engine type begins so are called in a sentence."""

    words: str
    types: tuple[str, ...]


_WORDS = (
    TypeWords("a text", ("VARCHAR",)),
    TypeWords(
        "a number",
        (
            "DECIMAL",
            "DOUBLE",
            "FLOAT",
            "TINYINT",
            "SMALLINT",
            "INTEGER",
            "BIGINT",
            "HUGEINT",
            "UTINY",
            "USMALL",
            "UINT",
            "UBIG",
        ),
    ),
    TypeWords("a date and time", ("TIMESTAMP",)),
    TypeWords("a date", ("DATE",)),
    TypeWords("a time of day", ("TIME",)),
    TypeWords("yes or no", ("BOOLEAN",)),
    TypeWords("a duration", ("INTERVAL",)),
)  # fmt: skip
_LIST = TypeWords("a list", ("[]",))


class TypeFault(Struct, frozen=True):
    """Why an expression has no type: a sentence, the first and the last character it is about (if known), and the whole
    text as it would be right, if that is known."""

    message: str
    begin: int | None = None
    end: int | None = None
    corrected: str | None = None


class _Refused(Exception):
    """A part whose operands do not fit it."""

    def __init__(self, fault: TypeFault) -> None:
        super().__init__(fault.message)
        self.fault = fault


def expression_type(expression: Expression, columns: Mapping[str, str | None]) -> str | TypeFault | None:
    """The engine's type of an expression over columns with their types (None for one that is not known), or why it has
    none; None where it is not known."""
    try:
        return _Binding(expression, columns).type_of(expression.tree)
    except _Refused as refused:
        return refused.fault
    except RecursionError:
        return None


def type_words(kind: str) -> str:
    """What values of an engine's type are, in words."""
    if kind.endswith("[]"):
        return _LIST.words
    return next((each.words for each in _WORDS if kind.startswith(each.types)), kind.lower())


class _Binding:
    """Binds the parts of one expression."""

    def __init__(self, expression: Expression, columns: Mapping[str, str | None]) -> None:
        self._text = expression.text
        self._columns = {name.lower(): kind for name, kind in columns.items()}

    def type_of(self, node: exp.Expr) -> str | None:
        """The type of a value; None where it is not known. Raises _Refused."""
        if isinstance(node, exp.Paren):
            return self.type_of(node.this)
        if isinstance(node, exp.Column):
            return self._columns.get(node.name.lower()) if not node.table else None
        if isinstance(node, exp.Placeholder):
            return None
        is_windowed = isinstance(node.parent, exp.Window)
        if isinstance(node, exp.Func) and function_name(node) in _OWN and not is_windowed:
            return _OWN[function_name(node)]
        if isinstance(node, exp.Window):
            return self._type_of_window(node)
        if isinstance(node, exp.Filter):
            self._condition(node.expression.this)
            return self.type_of(node.this)
        return self._bound(node, "")

    def _type_of_window(self, node: exp.Window) -> str | None:
        call = node.this
        for part in (*(node.args.get("partition_by") or ()), node.args.get("order")):
            if isinstance(part, exp.Expression):
                self._replaced(part)
        if isinstance(call, exp.Filter):
            self._condition(call.expression.this)
            call = call.this
        return self._bound(call, " over ()" if function_name(call) in WINDOW_FUNCTIONS else "")

    def _bound(self, node: exp.Expr, after: str) -> str | None:
        """The type of a part whose operands are replaced by missing values of their types."""
        if isinstance(node, exp.Case) and node.this is None:
            for branch in node.args["ifs"]:
                self._condition(branch.this)
        elif isinstance(node, exp.If):
            self._condition(node.this)
        elif isinstance(node, exp.And | exp.Or | exp.Not):
            for operand in node.iter_expressions():
                self._condition(operand)
        copied = self._replaced(node)
        if copied is None:
            return None
        kind, refusal = scalar_type(copied.sql("duckdb") + after)
        if refusal is not None:
            raise _Refused(self._fault(node))
        return kind

    def _replaced(self, node: exp.Expr) -> exp.Expr | None:
        """A copy of a part that names nothing; None where the type of an operand is not known."""
        copied, is_known = node.copy(), True
        for key, held in node.args.items():
            listed = held if isinstance(held, list) else [held]
            made = [self._operand(each) if isinstance(each, exp.Expression) else each for each in listed]
            is_known = is_known and all(new is not None or old is None for new, old in zip(made, listed, strict=True))
            if is_known:
                copied.set(key, made if isinstance(held, list) else made[0])
        return copied if is_known else None

    def _operand(self, node: exp.Expr) -> exp.Expr | None:
        is_branch = isinstance(node, exp.If) and isinstance(node.parent, exp.Case)
        while isinstance(node, exp.Paren):
            node = node.this
        if isinstance(node, _AS_WRITTEN) and not node.find(exp.Column, exp.Placeholder):
            return node.copy()
        if isinstance(node, _AROUND) or is_branch:
            return self._replaced(node)
        if isinstance(node, exp.Neg) and isinstance(node.this, exp.Literal):
            return node.copy()
        kind = self.type_of(node)
        if kind is None or "NULL" in kind:
            return None
        if isinstance(node, exp.Cast):  # what is written around one depends on what it casts to
            return type(node)(this=exp.null(), to=node.args["to"].copy())
        return exp.Var(this=f"cast(null as {kind})")

    def _condition(self, node: exp.Expr) -> None:
        """Raise _Refused where a condition is a date, a time or a duration, none of which can be computed as one, or a
        text, of which only some can."""
        kind = self.type_of(node)
        if kind is not None and kind.startswith(_NO_CONDITIONS) and not isinstance(node, exp.Literal):
            raise _Refused(self._at(node, f"{self._shown(node)} is {type_words(kind)}, where a condition is needed."))

    def _fault(self, node: exp.Expr) -> TypeFault:
        """What to say of a part that the engine refuses."""
        operands = [(each, kind) for each in _operands(node) if (kind := self.type_of(each)) is not None]
        if type(node) in _ARITHMETIC:
            return self._no_numbers(node, operands)
        if isinstance(node, _COMPARING) and len(operands) > 1:
            return self._incomparable(node, operands)
        name = function_name(node) if isinstance(node, exp.Func) else ""
        if isinstance(node, _ONE_OF) and (differing := self._differing(node)) is not None:
            return differing
        if name not in FUNCTION_HELP:
            given = " and ".join(type_words(kind) for _, kind in operands)
            return self._at(node, f"{self._shown(node)} has no meaning for {given}.")
        signature = FUNCTION_HELP[name].signature
        if len(operands) == 1:
            message = f"{self._shown(operands[0][0])} is {type_words(operands[0][1])}, which {signature} does not take."
            return self._at(operands[0][0], message)
        given = ", ".join(f"{self._shown(each)} ({type_words(kind)})" for each, kind in operands)
        return self._at(node, f"{signature} does not take {given or 'nothing'}.")

    def _differing(self, node: exp.Expr) -> TypeFault | None:
        """What to say of two values of a part of which it has one, where they are not of one kind."""
        branches = node.args["ifs"] if isinstance(node, exp.Case) else [node]
        values = [branch.args["true"] for branch in branches if isinstance(branch, exp.If)]
        values += [node.args[key] for key in ("false", "default") if node.args.get(key) is not None]
        values = values or list(_operands(node))
        typed = [(each, type_words(kind)) for each in values if (kind := self.type_of(each)) is not None]
        odd = next((each for each in typed if each[1] != typed[0][1]), None)
        if odd is None:
            return None
        (first, words), (second, others) = typed[0], odd
        shown = self._shown(second)
        message = f"{self._shown(first)} is {words} and {shown} is {others}; one kind is needed in all cases."
        return self._at(second, message)

    def _no_numbers(self, node: exp.Expr, operands: list[tuple[exp.Expr, str]]) -> TypeFault:
        sign = _ARITHMETIC[type(node)]
        odd, kind = next((each for each in operands if each[1].startswith(("VARCHAR", "BOOLEAN"))), operands[-1])
        shown, words = self._shown(odd), type_words(kind)
        if sign == "+" and kind == "VARCHAR":
            message = f"{shown} is {words}, and + adds numbers; texts are joined by ||."
            return self._at(odd, message, self._with_sign(node, "||"))
        if len(operands) == 1 or kind.startswith(("VARCHAR", "BOOLEAN")):
            return self._at(odd, f"{shown} is {words}, and {sign} computes with numbers.")
        first, before = operands[0]
        message = (
            f"{self._shown(first)} is {type_words(before)} and {shown} is {words}: {sign} has no meaning for them."
        )
        return self._at(node, message)

    def _incomparable(self, node: exp.Expr, operands: list[tuple[exp.Expr, str]]) -> TypeFault:
        (first, kind), (second, other) = operands[0], next(
            (each for each in operands[1:] if type_words(each[1]) != type_words(operands[0][1])), operands[1]
        )  # fmt: skip
        message = (
            f"{self._shown(first)} is {type_words(kind)} and {self._shown(second)} is {type_words(other)}: "
            f"they cannot be compared."
        )
        span = self._span(second)
        corrected = None
        if kind == "VARCHAR" and isinstance(second, exp.Literal) and span is not None:
            corrected = f"{self._text[: span[0]]}'{second.name}'{self._text[span[1] + 1 :]}"
        return self._at(node, message, corrected)

    def _with_sign(self, node: exp.Expr, sign: str) -> str | None:
        """The whole text with another sign between the two operands of a part."""
        left, right = self._span(node.this), self._span(node.expression)
        if left is None or right is None:
            return None
        between = self._text[left[1] + 1 : right[0]]
        if between.count("+") != 1:
            return None
        return f"{self._text[: left[1] + 1]}{between.replace('+', sign)}{self._text[right[0] :]}"

    def _shown(self, node: exp.Expr) -> str:
        """A part as it was written, as far as that is known."""
        span = self._span(node)
        return self._text[span[0] : span[1] + 1] if span is not None else node.sql("duckdb")

    def _at(self, node: exp.Expr, message: str, corrected: str | None = None) -> TypeFault:
        begin, end = self._span(node) or (None, None)
        return TypeFault(message, begin, end, corrected)

    def _span(self, node: exp.Expr) -> tuple[int, int] | None:
        """The first and the last character of a part, up to the bracket that closes its last call."""
        places = [(each.meta["start"], each.meta["end"]) for each in node.walk() if "start" in each.meta]
        if not places:
            return None
        begin, end = min(first for first, _ in places), max(last for _, last in places)
        while _bare(self._text[begin : end + 1]).count("(") > _bare(self._text[begin : end + 1]).count(")"):
            end = self._text.find(")", end + 1)
            if end < 0:
                return None
        return begin, end


def _operands(node: exp.Expr) -> Iterator[exp.Expr]:
    """The values directly within a part."""
    for each in node.iter_expressions():
        if isinstance(each, _AROUND) or (isinstance(each, exp.If) and isinstance(node, exp.Case)):
            yield from _operands(each)
        elif not isinstance(each, exp.Var | exp.DataType | exp.Star | exp.Identifier):
            yield each


def _bare(text: str) -> str:
    """A text without the brackets in its quotes."""
    return _QUOTED.sub("", text)
