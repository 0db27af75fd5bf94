"""JSON and XML to tables: a repeated element becomes a table, linked to the one around it by a key.

Single elements and attributes become columns, those of single inner elements named after both.
"""

import json
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pyarrow as pa
from lxml import etree
from msgspec import Struct, field

from northmoor.core.base.replace import replace
from northmoor.core.engine.arrow_types import arrow_type, type_of_arrow
from northmoor.core.errors import QueryError
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.sources.drivers.catalog import ForeignKey
from northmoor.core.sources.files.file_table import FileTable, TableColumn
from northmoor.core.sources.files.json_schema import check_by_schema
from northmoor.core.sources.files.type_detection import detect_type
from northmoor.core.sources.files.xsd import Schema, schema_of
from northmoor.core.sources.typing.coercion import CoercionError, coerce
from northmoor.core.sources.typing.decimals import FittedDecimals, fit_decimals

_UTC = ZoneInfo("UTC")
_LARGEST = 512 * 1024 * 1024
_DEEPEST = 40
Record = dict[str, Any]


def json_tables(path: Path, stem: str) -> list[FileTable]:
    """The tables of a JSON file, or of one with a JSON value a line, which must follow its schema if there is one.
    Raises QueryError."""
    text = _text(path)
    try:
        value = json.loads(text, parse_float=Decimal)
        documents = [value]
    except json.JSONDecodeError as error:
        value = documents = _lines(path, text, error)
    except RecursionError as error:
        raise QueryError(f"{path.name} is nested too deeply.") from error
    except ValueError as error:  # a whole number of thousands of digits
        raise QueryError(f"{path.name} has a number of more digits than can be read.") from error
    if not isinstance(value, list | dict):
        raise QueryError(f"{path.name} holds a single value; a list of records is wanted.")
    schema = check_by_schema(path, documents)
    try:
        found = _tables(path, stem, value if isinstance(value, list) else [value], texts_may_be_numbers=False)
        return [replace(table, files=(path, schema)) for table in found] if schema else found
    except UnicodeEncodeError as error:
        raise QueryError(f"{path.name} has a text with half a character (\\ud800 to \\udfff); correct it.") from error
    except RecursionError as error:
        raise QueryError(f"{path.name} is nested too deeply.") from error


def xml_tables(path: Path, stem: str) -> list[FileTable]:
    """The tables of an XML file, which must follow its schema if there is one. Raises QueryError."""
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.parse(str(path), parser).getroot()
    except (etree.XMLSyntaxError, OSError) as error:
        raise QueryError(f"{path.name} is no sound XML ({error}); correct it.") from error
    schema = schema_of(path, root)
    repeated = schema.repeated | _repeated_elements(root) if schema else _repeated_elements(root)
    record = _element(root, repeated, 0, path)
    records = [record] if isinstance(record, dict) else [{"value": record}]
    found = _tables(path, stem, records, texts_may_be_numbers=True, schema=schema)
    files = (path, schema.path) if schema else (path,)
    return [replace(table, files=files) for table in found]


def _text(path: Path) -> str:
    try:
        if path.stat().st_size > _LARGEST:
            raise QueryError(f"{path.name} is larger than 512 MB; bring it into a database first.")
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise QueryError(f"{path.name} is not in UTF-8 (byte {error.start + 1:,}), as JSON must be.") from error
    except OSError as error:
        raise QueryError(f"{path.name} cannot be read: {error.strerror}.") from error


def _lines(path: Path, text: str, error: json.JSONDecodeError) -> list[Any]:
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) < 2 or (error.lineno == 1 and error.pos < len(lines[0][1])):
        raise QueryError(f"{path.name} is no sound JSON: {error.msg} in line {error.lineno}.") from error
    values = []
    for number, line in lines:
        try:
            values.append(json.loads(line, parse_float=Decimal))
        except json.JSONDecodeError as fault:
            raise QueryError(f"{path.name} is no sound JSON: {fault.msg} in line {number}.") from fault
        except ValueError as fault:
            raise QueryError(f"{path.name}, line {number}: a number has more digits than can be read.") from fault
    return values


def _repeated_elements(root: Any) -> frozenset[str]:
    """Names of elements that occur more than once in some element."""
    found: set[str] = set()
    for parent in root.iter(etree.Element):
        names = [_local(child) for child in parent if isinstance(child.tag, str)]
        found |= {name for name in names if names.count(name) > 1} if len(names) != len(set(names)) else set()
    return frozenset(found)


def _local(element: Any) -> str:
    return str(etree.QName(element).localname)


def _element(element: Any, repeated: frozenset[str], depth: int, path: Path) -> Any:
    """An element as a record, or as its text when it has neither attributes nor elements."""
    if depth > _DEEPEST:
        raise QueryError(f"{path.name} is nested more than {_DEEPEST} levels deep.")
    record: Record = {etree.QName(name).localname: value for name, value in element.attrib.items()
                      if "XMLSchema-instance" not in name}  # fmt: skip
    for child in element:
        if not isinstance(child.tag, str):
            continue
        name, value = _local(child), _element(child, repeated, depth + 1, path)
        if name in repeated:
            record.setdefault(name, []).append(value)
        else:
            record[name] = value
    text = (element.text or "").strip()
    if not record:
        return text or None
    return record | ({"value": text} if text else {})


class _TableBuilder(Struct):
    """A table while its records are found."""

    name: str
    element: str
    parent: "_TableBuilder | None" = None
    records: list[Record] = field(default_factory=list)
    has_details: bool = False

    @property
    def key(self) -> str:
        """The column that tells its records apart; an element within one of the same name is named by both."""
        is_within_same = self.parent is not None and self.parent.element == self.element
        return f"{self.name if is_within_same else self.element}_key"


def _tables(
    path: Path, stem: str, records: list[Any], texts_may_be_numbers: bool, schema: Schema | None = None
) -> list[FileTable]:
    top = _TableBuilder(stem, stem)
    growing = {stem: top}
    for record in records:
        _grow(record, top, growing, "")
    tables = [table for table in growing.values() if table.records]
    if len(tables) == 2 and len(top.records) == 1 and set(top.records[0]) <= {top.key}:
        tables = [_without_wrapper(top, tables[1])]
    return [_file_table(path, table, texts_may_be_numbers, schema) for table in tables]


def _without_wrapper(wrapper: _TableBuilder, only: _TableBuilder) -> _TableBuilder:
    """The one list of a wrapper that has nothing of its own, as the table of the file."""
    inner = only.key
    only.name, only.parent = wrapper.name, None
    for record in only.records:
        record.pop(wrapper.key, None)
        record[only.key] = record.pop(inner)  # its name may have been that of an element within one of the same name
    return only


def _grow(value: Any, table: _TableBuilder, growing: dict[str, _TableBuilder], prefix: str) -> None:
    record: Record = {}
    table.records.append(record)
    record[table.key] = len(table.records)
    _fill(record, value if isinstance(value, dict) else {"value": value}, table, growing, prefix, 0)


def _fill(
    record: Record, value: Record, table: _TableBuilder, growing: dict[str, _TableBuilder], prefix: str, depth: int
) -> None:
    if depth > _DEEPEST:
        raise QueryError(f"Its records are nested more than {_DEEPEST} levels deep.")
    for name, held in value.items():
        column = f"{prefix}{name}"
        if isinstance(held, dict):
            _fill(record, held, table, growing, f"{column}_", depth + 1)
        elif isinstance(held, list):
            table.has_details = True
            detail = growing.setdefault(f"{table.name}_{column}", _TableBuilder(f"{table.name}_{column}", name, table))
            for item in held:
                before = len(detail.records)
                _grow(item, detail, growing, "")
                detail.records[before][table.key] = record[table.key]
        else:
            record[column] = held


def _file_table(path: Path, table: _TableBuilder, texts_may_be_numbers: bool, schema: Schema | None) -> FileTable:
    names = list(dict.fromkeys(name for record in table.records for name in record))
    if not table.has_details:
        names.remove(table.key)
    if table.parent is not None:
        names.remove(table.parent.key)
        names.insert(0, table.parent.key)
    columns: dict[str, pa.Array] = {}
    notes: list[str] = []
    for name in names:
        values = [record.get(name) for record in table.records]
        if (kinds := {type(value) for value in values if value is not None}) and kinds <= {int, Decimal}:
            fitted = _numbers(values)
            columns[name] = fitted.values
            notes += [f"{path.name}: Column {name} {fitted.note}."] if fitted.note else []
        else:
            columns[name], note = _column(name, values, texts_may_be_numbers, schema)
            notes += [f"{path.name}: {note}"] if note else []
    rows = pa.table(columns)
    described = tuple(TableColumn(n, type_of_arrow(c.type) or ValueType("text")) for n, c in columns.items())
    links = (ForeignKey((table.parent.key,), table.parent.name, (table.parent.key,)),) if table.parent else ()
    key = table.key if table.has_details else None
    return FileTable(table.name, described, len(rows), (path,), rows=rows, key=key, links=links, notes=tuple(notes))


def _column(name: str, values: list[Any], texts_may_be_numbers: bool, schema: Schema | None) -> tuple[pa.Array, str]:
    """A column of values that are not all numbers, and what its reader should know of it."""
    kinds = {type(value) for value in values if value is not None}
    if kinds == {bool}:
        return pa.array(values, pa.bool_()), ""
    texts = [None if v in (None, "") else v if isinstance(v, str) else json.dumps(v, default=str) for v in values]
    raw = pa.array(texts, pa.string())
    declared = schema.kinds.get(name) if schema else None
    if declared is not None and declared.kind != "decimal":
        try:
            return coerce(raw, declared, _UTC), ""
        except CoercionError as error:
            return raw, f"Column {name} is left as text: its schema says {declared.kind}, which {error} is not."
    reading = detect_type(name, (text for text in texts if text), ".")
    is_number = reading.kind.is_number
    if reading.note or (is_number and not texts_may_be_numbers) or (declared and declared.kind == "text"):
        return raw, reading.note
    if reading.kind.kind == "decimal" and declared is not None and declared.scale > reading.kind.scale:
        return coerce(raw, ValueType("decimal", reading.kind.precision, declared.scale), _UTC), ""
    return coerce(raw, reading.kind, _UTC) if reading.form in ("", ".") else raw, ""


def _numbers(values: list[Any]) -> FittedDecimals:
    exact = [None if value is None else Decimal(value) for value in values]
    scale = max((-int(d.as_tuple().exponent) for d in exact if d is not None), default=0)
    digits = max((d.adjusted() + 1 for d in exact if d is not None), default=1)
    if scale <= 0 and digits <= 18:
        return FittedDecimals(pa.array([None if d is None else int(d) for d in exact], pa.int64()))
    scale = max(scale, 0)
    if max(digits, 1) + scale <= MAX_PRECISION:
        kind = arrow_type(ValueType("decimal", max(18, max(digits, 1) + scale), scale))
        return FittedDecimals(pa.array(exact, kind))
    return fit_decimals(pa.array([None if d is None else str(d) for d in exact], pa.string()))
