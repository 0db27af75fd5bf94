"""An expression as on the pages to SQL of a database that gives the same values.

Databases differ in what `7 / 2`, a division by zero, `like`, the order of texts and many functions are. Each kind
of part that has the same values everywhere is written here for every dialect; what has not is refused by name.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from msgspec import Struct
from sqlglot import exp

from northmoor.core.errors import ExpressionError, QueryError
from northmoor.core.expr.function_help import FUNCTION_HELP, FunctionHelp
from northmoor.core.expr.language import OWN_FUNCTIONS, function_name, parse
from northmoor.core.sources.builder.computing import DatePart, date_part_sql
from northmoor.core.sources.builder.operands import OperandKind, kind_of_column
from northmoor.core.sources.typing.dialect_notes import DIALECT_NAMES

_DOUBLE = {"sqlite": "real", "postgres": "double precision", "mysql": "double"}
_COMPARED: dict[type[exp.Expr], str] = {
    exp.EQ: "=", exp.NEQ: "<>", exp.LT: "<", exp.LTE: "<=", exp.GT: ">", exp.GTE: ">=",
}  # fmt: skip
_JOINED: dict[type[exp.Expr], str] = {exp.Add: "+", exp.Sub: "-", exp.Mul: "*", exp.And: "and", exp.Or: "or"}
_PARTS: dict[str, DatePart] = {
    "year": "year", "quarter": "quarter", "month": "month_number", "hour": "hour", "isodow": "weekday",
}  # fmt: skip
_TRUNCATED: dict[str, DatePart] = {
    "DAY": "day", "WEEK": "week", "MONTH": "month", "QUARTER": "quarter_start", "YEAR": "year_start",
}  # fmt: skip
_SAME = {"abs": "abs", "nullif": "nullif", "coalesce": "coalesce", "replace": "replace", "trim": "trim"}
_TEXTS = frozenset(["lower", "upper", "trim", "replace", "substring", "left", "right", "concat"])
_KINDS_IN_HELP: dict[str, OperandKind] = {
    "x": "number", "text": "text", "day": "date", "begin": "date", "end": "date", "at": "timestamp",
}  # fmt: skip
"""Of what kinds the columns in the help of functions are."""
_NUMBERS = frozenset(["abs", "round", "floor", "ceil", "length", "sum", "count", "avg", *_PARTS])


def expression_sql(text: str, dialect: str, kinds: Mapping[str, OperandKind]) -> str:
    """The SQL with the values that an expression has on the pages; `kinds` are those of columns, by their SQL.

    Raises QueryError for what cannot be read, or what this database has no counterpart of.
    """
    try:
        tree = parse(text).tree
    except ExpressionError as error:
        raise QueryError(error.message) from error
    for node in tree.find_all(exp.Func):
        if function_name(node) in OWN_FUNCTIONS:
            raise QueryError(f"{function_name(node)}() is known on pages only; compute it there.")
    return text.strip() if dialect == "duckdb" else _Writer(dialect, kinds).sql(tree)


def portable_name(column: str, dialect: str) -> str:
    """A column's SQL as expressions write it: quoted names in double quotes."""
    return column.replace("`", '"') if dialect == "mysql" else column


def portable_functions(dialect: str) -> Iterator[FunctionHelp]:
    """The functions of expressions that a database computes with the same values, called as their help says."""
    for help_text in FUNCTION_HELP.values():
        if "(" in help_text.signature and " over " not in help_text.signature:
            try:
                expression_sql(help_text.signature, dialect, _KINDS_IN_HELP)
            except QueryError:
                continue
            yield help_text


class _Writer(Struct, frozen=True):
    dialect: str
    kinds: Mapping[str, OperandKind]

    def sql(self, node: exp.Expr) -> str:
        """A part of the expression."""
        if type(node) in _COMPARED:
            pair = (node.this, node.expression)
            return f" {_COMPARED[type(node)]} ".join(self._comparable(pair, type(node) in (exp.EQ, exp.NEQ)))
        if type(node) in _JOINED:
            return f"{self.sql(node.this)} {_JOINED[type(node)]} {self.sql(node.expression)}"
        write = _FORMS.get(type(node))
        if write is not None:
            return write(self, node)
        raise self.refused(function_name(node) + "()" if isinstance(node, exp.Func) else node.sql("duckdb"))

    def refused(self, what: str) -> QueryError:
        """That the database has no counterpart of something."""
        where = DIALECT_NAMES[self.dialect]
        return QueryError(f"{where} has no counterpart of {what} with these values; compute it on the page, or as SQL.")

    def kind(self, node: exp.Expr) -> OperandKind | None:
        """How a value to compare a part with is written; None where that is not known."""
        if isinstance(node, exp.Paren | exp.Neg):
            return self.kind(node.this)
        if isinstance(node, exp.Column):
            return kind_of_column(self.kinds, node.sql(self.dialect))
        if isinstance(node, exp.Literal):
            return "text" if node.is_string else "number"
        if isinstance(node, exp.DPipe):
            return "text"
        if isinstance(node, exp.Add | exp.Sub | exp.Mul | exp.Div):
            return "number"
        if isinstance(node, exp.Case):
            return self.kind(node.args["ifs"][0].args["true"])
        if isinstance(node, exp.Cast):
            return "date" if node.to.this == exp.DataType.Type.DATE else None
        name = function_name(node) if isinstance(node, exp.Func) else ""
        if name in _TEXTS | _NUMBERS:
            return "text" if name in _TEXTS else "number"
        return self.kind(node.this) if name in ("coalesce", "nullif", "min", "max", "greatest", "least") else None

    def _comparable(self, nodes: tuple[exp.Expr, ...], is_equality: bool) -> list[str]:
        """Parts to be compared with each other: texts letter by letter, in the order of their characters."""
        texts = [self.sql(node) for node in nodes]
        kinds = {self.kind(node) for node in nodes} - {None}
        if kinds != {"text"} or self.dialect == "sqlite":  # a text beside a day is read as a day
            return texts
        if self.dialect == "mysql":
            return [f"cast({text} as binary)" for text in texts]
        return texts if is_equality else [f'{text} collate "C"' for text in texts]

    # numbers

    def division(self, node: exp.Div) -> str:
        """A quotient as a double; nothing for one by zero."""
        divisor = self.sql(node.expression)
        divisor = f"nullif({divisor}, 0)" if self.dialect == "postgres" else divisor
        return f"cast({self.sql(node.this)} as {_DOUBLE[self.dialect]}) / {divisor}"

    def rounded(self, node: exp.Round) -> str:
        """Rounded half away from zero, as decimals are."""
        places = self.sql(node.args["decimals"]) if node.args.get("decimals") is not None else "0"
        number = self.sql(node.this)
        return f"round({f'cast({number} as numeric)' if self.dialect == 'postgres' else number}, {places})"

    def whole(self, node: exp.Floor | exp.Ceil) -> str:
        """The whole number below or above; SQLite may have been built without it."""
        number, is_floor = self.sql(node.this), isinstance(node, exp.Floor)
        if self.dialect != "sqlite":
            return f"{'floor' if is_floor else 'ceil'}({number})"
        cut = f"cast({number} as integer)"
        return f"({cut} - ({number} < {cut}))" if is_floor else f"({cut} + ({number} > {cut}))"

    def extreme(self, node: exp.Greatest | exp.Least) -> str:
        """The greatest or least of those that are there."""
        is_greatest = isinstance(node, exp.Greatest)
        parts = [self._ordered(each) for each in (node.this, *node.expressions)]
        if self.dialect == "postgres":
            return f"{'greatest' if is_greatest else 'least'}({', '.join(parts)})"
        name = {True: "max", False: "min"}[is_greatest] if self.dialect == "sqlite" else node.key
        found = parts[0]
        for part in parts[1:]:
            found = f"coalesce({name}({found}, {part}), {found}, {part})"
        return found

    def aggregate(self, node: exp.Func, condition: exp.Expr | None = None) -> str:
        """A figure of the rows, or of those that meet a condition."""
        name = function_name(node)
        of = "*" if isinstance(node.this, exp.Star) else self._argument(node)
        if isinstance(node.this, exp.Distinct):
            of = f"distinct {self.sql(node.this.expressions[0])}"
        if condition is not None:
            if of.startswith("distinct "):
                raise self.refused("a filter with distinct")
            of = f"case when {self.sql(condition)} then {'1' if of == '*' else of} end"
        return f"{name}({f'{of} * 1e0' if name == 'avg' and self.dialect == 'mysql' else of})"

    def _argument(self, node: exp.Func) -> str:
        if node.this is None or isinstance(node.this, exp.Distinct):
            return "*"
        return self._ordered(node.this) if isinstance(node, exp.Min | exp.Max) else self.sql(node.this)

    def _ordered(self, node: exp.Expr) -> str:
        """A part of several, of which the least or greatest is wanted: texts by the order of their characters."""
        if self.kind(node) != "text" or self.dialect == "sqlite":
            return self.sql(node)
        if self.dialect == "mysql":
            raise self.refused("the least or greatest of texts")
        return f'{self.sql(node)} collate "C"'

    # texts

    def joined(self, node: exp.DPipe | exp.Concat) -> str:
        """Texts one after the other; `concat` passes over what is missing."""
        parts = list(node.expressions) if isinstance(node, exp.Concat) else [node.this, node.expression]
        if any(self.kind(part) not in ("text", None) for part in parts):
            raise self.refused("numbers, days or moments joined to texts")
        texts = [self.sql(part) for part in parts]
        if isinstance(node, exp.Concat):
            texts = [f"coalesce({text}, '')" for text in texts]
        return f"concat({', '.join(texts)})" if self.dialect == "mysql" else " || ".join(texts)

    def cased(self, node: exp.Lower | exp.Upper) -> str:
        """In small or capital letters, of which SQLite knows a to z only."""
        if self.dialect == "sqlite":
            raise self.refused(f"{node.key}()")
        return f"{node.key}({self.sql(node.this)})"

    def length(self, node: exp.Length) -> str:
        """How many characters a text has."""
        return f"{'char_length' if self.dialect == 'mysql' else 'length'}({self.sql(node.this)})"

    def piece(self, node: exp.Substring | exp.Left | exp.Right) -> str:
        """A piece of a text, from a place and with a length that are written as numbers."""
        is_part = isinstance(node, exp.Substring)
        numbers = [node.args.get("start"), node.args.get("length")] if is_part else [node.expression]
        given = [each for each in numbers if each is not None]
        if not all(isinstance(each, exp.Literal) and each.name.isdigit() and int(each.name) for each in given):
            raise self.refused(f"{function_name(node)}() of other places than numbers from 1")
        text, places = self.sql(node.this), [each.name for each in given]
        if is_part:
            return f"substr({', '.join([text, *places])})"
        if self.dialect != "sqlite":
            return f"{node.key}({text}, {places[0]})"
        return f"substr({text}, 1, {places[0]})" if isinstance(node, exp.Left) else f"substr({text}, -{places[0]})"

    def like(self, node: exp.Like) -> str:
        """Whether a text has a form: capitals differ from small letters; only % and _ are special."""
        pattern = node.expression
        if not (isinstance(pattern, exp.Literal) and pattern.is_string) or "\\" in pattern.name:
            raise self.refused("like with another form than a plain text")
        text, no = self.sql(node.this), "not " if node.args.get("negate") else ""
        if self.dialect == "sqlite":
            form = "".join({"%": "*", "_": "?", "*": "[*]", "?": "[?]", "[": "[[]"}.get(c, c) for c in pattern.name)
            return f"{text} {no}glob {exp.Literal.string(form).sql(self.dialect)}"
        exactly = f"convert({text} using utf8mb4) collate utf8mb4_bin" if self.dialect == "mysql" else text
        return f"{exactly} {no}like {pattern.sql(self.dialect)}"

    # days and moments

    def cast(self, node: exp.Cast) -> str:
        """A day, written or of a moment."""
        if node.to.this != exp.DataType.Type.DATE:
            raise self.refused(f"cast to {node.to.sql('duckdb').lower()}")
        of = node.this
        if isinstance(of, exp.Literal):
            return of.sql(self.dialect) if self.dialect == "sqlite" else f"date {of.sql(self.dialect)}"
        if isinstance(of, exp.TimestampTrunc | exp.DateTrunc):
            return self._truncated(of)
        return date_part_sql(self.sql(of), "day", self.dialect)

    def truncated(self, node: exp.TimestampTrunc | exp.DateTrunc) -> str:
        """The first day of a period, of a day."""
        if self.kind(node.this) != "date":
            raise self.refused("date_trunc() of a moment (write it in cast(… as date))")
        return self._truncated(node)

    def _truncated(self, node: exp.TimestampTrunc | exp.DateTrunc) -> str:
        part = _TRUNCATED.get(node.args["unit"].name.upper())
        if part is None:
            raise self.refused(f"date_trunc('{node.args['unit'].name.lower()}')")
        return date_part_sql(self.sql(node.this), part, self.dialect)

    def date_part(self, node: exp.Func) -> str:
        """A number of a day or moment."""
        part = _PARTS.get(node.this.name.lower() if isinstance(node, exp.Extract) else function_name(node))
        if part is None:
            raise self.refused(f"extract({node.this.name.lower()})")
        of = self.sql(node.expression if isinstance(node, exp.Extract) else node.this)
        return f"({date_part_sql(of, part, self.dialect)})"

    def days_between(self, node: exp.DateDiff) -> str:
        """How many midnights lie between two days or moments."""
        if node.args["unit"].name.upper() != "DAY":
            raise self.refused(f"date_diff('{node.args['unit'].name.lower()}')")
        later, earlier = (date_part_sql(self.sql(each), "day", self.dialect) for each in (node.this, node.expression))
        if self.dialect == "sqlite":
            return f"cast(julianday({later}) - julianday({earlier}) as integer)"
        return f"datediff({later}, {earlier})" if self.dialect == "mysql" else f"({later} - {earlier})"

    # conditions

    def case(self, node: exp.Case) -> str:
        """Values for conditions, in their order."""
        if node.this is not None:
            raise self.refused("case of a value (write when and a condition)")
        whens = [f"when {self.sql(each.this)} then {self.sql(each.args['true'])}" for each in node.args["ifs"]]
        otherwise = node.args.get("default")
        return " ".join(["case", *whens, *([f"else {self.sql(otherwise)}"] if otherwise is not None else []), "end"])

    def condition_value(self, node: exp.If) -> str:
        """One of two values."""
        otherwise = f" else {self.sql(node.args['false'])}" if node.args.get("false") is not None else ""
        return f"case when {self.sql(node.this)} then {self.sql(node.args['true'])}{otherwise} end"

    def between(self, node: exp.Between) -> str:
        """Whether a value lies between two others."""
        value, low, high = self._comparable((node.this, node.args["low"], node.args["high"]), False)
        return f"{value} between {low} and {high}"

    def one_of(self, node: exp.In) -> str:
        """Whether a value is one of several."""
        value, *others = self._comparable((node.this, *node.expressions), True)
        return f"{value} in ({', '.join(others)})"

    def leaf(self, node: exp.Expr) -> str:
        """A column, a value or a parameter."""
        return f":{node.name}" if isinstance(node, exp.Placeholder) else node.sql(self.dialect)

    def function(self, node: exp.Func) -> str:
        """A function that every database has under a name."""
        name = function_name(node)
        others = [node.args.get("expression"), node.args.get("replacement"), *node.expressions]
        parts = [node.this, *(each for each in others if each is not None)]
        return f"{_SAME[name]}({', '.join(self.sql(part) for part in parts)})"


_FORMS: dict[type[exp.Expr], Callable[[_Writer, Any], str]] = {
    **dict.fromkeys((exp.Column, exp.Literal, exp.Null, exp.Boolean, exp.Placeholder), _Writer.leaf),
    **dict.fromkeys((exp.Abs, exp.Nullif, exp.Coalesce, exp.Replace, exp.Trim), _Writer.function),
    **dict.fromkeys((exp.Floor, exp.Ceil), _Writer.whole),
    **dict.fromkeys((exp.Greatest, exp.Least), _Writer.extreme),
    **dict.fromkeys((exp.Sum, exp.Min, exp.Max, exp.Count, exp.Avg), _Writer.aggregate),
    **dict.fromkeys((exp.DPipe, exp.Concat), _Writer.joined),
    **dict.fromkeys((exp.Lower, exp.Upper), _Writer.cased),
    **dict.fromkeys((exp.Substring, exp.Left, exp.Right), _Writer.piece),
    **dict.fromkeys((exp.TimestampTrunc, exp.DateTrunc), _Writer.truncated),
    **dict.fromkeys((exp.Year, exp.Quarter, exp.Month, exp.Hour, exp.DayOfWeekIso, exp.Extract), _Writer.date_part),
    exp.Paren: lambda writer, node: f"({writer.sql(node.this)})",
    exp.Neg: lambda writer, node: f"-{writer.sql(node.this)}",
    exp.Not: lambda writer, node: f"not {writer.sql(node.this)}",
    exp.Is: lambda writer, node: f"{writer.sql(node.this)} is {writer.sql(node.expression)}",
    exp.Length: _Writer.length,
    exp.Filter: lambda writer, node: writer.aggregate(node.this, node.expression.this),
    exp.Div: _Writer.division, exp.Round: _Writer.rounded, exp.Like: _Writer.like, exp.Cast: _Writer.cast,
    exp.DateDiff: _Writer.days_between, exp.Case: _Writer.case, exp.If: _Writer.condition_value,
    exp.Between: _Writer.between, exp.In: _Writer.one_of,
}  # fmt: skip
