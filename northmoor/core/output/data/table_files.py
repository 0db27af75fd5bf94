"""Tables of columns as files of open formats; exact, typed as far as the format has types, the same bytes each time."""

import csv
import io
import json
import zipfile
from base64 import b64encode
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any, BinaryIO
from xml.sax.saxutils import escape, quoteattr

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pcsv
import pyarrow.ipc as ipc
import pyarrow.parquet as pq

WriteTable = Callable[[pa.Table, BinaryIO], None]
_BATCH = 4096
_ZIP_TIME = (1980, 1, 1, 0, 0, 0)
_ODS_MIME = "application/vnd.oasis.opendocument.spreadsheet"
_MANIFEST = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<manifest:manifest manifest:version="1.3"'
    ' xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/"'
    f' manifest:version="1.3" manifest:media-type="{_ODS_MIME}"/><manifest:file-entry'
    ' manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
)
_CONTENT = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<office:document-content office:version="1.3"'
    ' xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
)
_CONTROLS = dict.fromkeys(n for n in range(32) if n not in (9, 10, 13))


def _csv(table: pa.Table, target: BinaryIO) -> None:
    """RFC 4180, in UTF-8."""
    pcsv.write_csv(plain_columns(table), target)


def _tsv(table: pa.Table, target: BinaryIO) -> None:
    """Columns between tabs; a value with tabs, quotes or lines is in quotes."""
    text = io.TextIOWrapper(target, "utf-8", newline="")
    writer = csv.writer(text, delimiter="\t", lineterminator="\n")
    writer.writerow(table.column_names)
    for row in _rows(plain_columns(table)):
        writer.writerow(["" if value is None else value for value in row])
    text.flush()
    text.detach()


def _json_lines(table: pa.Table, target: BinaryIO) -> None:
    """A JSON object a line; decimals as numbers with all their digits, moments as ISO 8601."""
    names = [json.dumps(name, ensure_ascii=False) for name in table.column_names]
    for row in _rows(table):
        pairs = (f"{name}:{as_json(value)}" for name, value in zip(names, row, strict=True))
        target.write(("{" + ",".join(pairs) + "}\n").encode())


def _parquet(table: pa.Table, target: BinaryIO) -> None:
    pq.write_table(table, target, compression="zstd")


def _arrow(table: pa.Table, target: BinaryIO) -> None:
    """The file form of Arrow."""
    with ipc.new_file(target, table.schema) as writer:
        writer.write_table(table)


FORMATS: Mapping[str, WriteTable] = {
    "csv": _csv, "tsv": _tsv, "jsonl": _json_lines, "parquet": _parquet, "arrow": _arrow,
}  # fmt: skip
"""What writes a table, by the ending of the file."""


def write_ods(tables: Mapping[str, pa.Table], target: BinaryIO, check_stop: Callable[[], None]) -> None:
    """Write tables as the sheets of an OpenDocument spreadsheet (ISO/IEC 26300)."""
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype", _ZIP_TIME), _ODS_MIME)
        for name, text in (("META-INF/manifest.xml", _MANIFEST),):
            archive.writestr(_zip_info(name), text)
        with archive.open(_zip_info("content.xml"), "w", force_zip64=True) as content:
            content.write(_CONTENT.encode())
            for name, table in tables.items():
                content.write(f"<table:table table:name={quoteattr(name)}>".encode())
                content.write(_ods_row(table.column_names).encode())
                for number, row in enumerate(_rows(table)):
                    if number % _BATCH == 0:
                        check_stop()
                    content.write(_ods_row(row).encode())
                content.write(b"</table:table>")
            content.write(b"</office:spreadsheet></office:body></office:document-content>")


def plain_columns(table: pa.Table) -> pa.Table:
    """The table with moments to the second where they have no finer part, and lists as texts, as programs read them."""
    columns = []
    for column in table.columns:
        if pa.types.is_timestamp(column.type) and not pc.any(pc.greater(pc.subsecond(column), 0)).as_py():
            column = column.cast(pa.timestamp("s", column.type.tz))
        elif pa.types.is_nested(column.type) or pa.types.is_binary(column.type) or pa.types.is_duration(column.type):
            texts = [None if value is None else str(value) for value in column.to_pylist()]
            column = pa.chunked_array([pa.array(texts, pa.string())])
        columns.append(column)
    return pa.table(columns, names=table.column_names)


def as_json(value: Any) -> str:
    """A value as JSON."""
    if isinstance(value, Decimal):
        return str(value) if value.is_finite() else "null"
    if isinstance(value, float):
        return repr(value) if value == value and abs(value) != float("inf") else "null"
    if isinstance(value, datetime | date | time):
        return f'"{value.isoformat()}"'
    if isinstance(value, timedelta):
        return repr(value.total_seconds())
    if isinstance(value, bytes):
        return f'"{b64encode(value).decode()}"'
    if isinstance(value, list):
        return "[" + ",".join(map(as_json, value)) + "]"
    return json.dumps(value, ensure_ascii=False, default=str)


def _rows(table: pa.Table) -> Iterator[tuple[Any, ...]]:
    for batch in table.to_batches(_BATCH):
        yield from zip(*(column.to_pylist() for column in batch.columns), strict=True)


def _zip_info(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _ZIP_TIME)
    info.compress_type = zipfile.ZIP_DEFLATED
    return info


def _ods_row(values: Any) -> str:
    return "<table:table-row>" + "".join(map(_ods_cell, values)) + "</table:table-row>"


def _ods_cell(value: Any) -> str:
    if value is None:
        return "<table:table-cell/>"
    text = escape(str(value).translate(_CONTROLS))
    kind, attribute, own = "string", "", text
    if isinstance(value, bool):
        kind, attribute = "boolean", f' office:boolean-value="{str(value).lower()}"'
    elif isinstance(value, int | float | Decimal):
        kind, attribute = "float", f' office:value="{value}"'
    elif isinstance(value, datetime | date):
        kind, attribute = "date", f' office:date-value="{value.isoformat()}"'
    elif isinstance(value, time):
        kind, attribute = "time", f' office:time-value="PT{value.hour:02}H{value.minute:02}M{value.second:02}S"'
    return f'<table:table-cell office:value-type="{kind}"{attribute}><text:p>{own}</text:p></table:table-cell>'
