"""The rows or the cells of a document's blocks as files of open data: one for each block, or one with a sheet for
each."""

import re
from functools import partial
from typing import BinaryIO

import pyarrow as pa

from northmoor.core.errors import OutputError
from northmoor.core.output.content.nodes import ChartNode, Leaf, TableNode, leaves
from northmoor.core.output.data.cells import CellColumns, chart_cells, table_cells
from northmoor.core.output.data.table_files import FORMATS, write_ods
from northmoor.core.output.output_document import OutputDocument, OutputFile, wanted_queries


def output_files(document: OutputDocument) -> list[OutputFile]:
    """A file for each block over a query's rows, or for each query; one for all where the format holds several."""
    tables = data_tables(document)
    if not tables:
        raise OutputError("There are no tables or charts here; choose a format of pages, such as PDF.")
    if document.suffix == "ods":
        return [OutputFile(lambda target: write_ods(tables, target, document.check_stop))]
    write = FORMATS[document.suffix]

    def write_one(table: pa.Table, target: BinaryIO) -> None:
        write(table, target)

    return [OutputFile(partial(write_one, table), _file_name(name)) for name, table in tables.items()]


def data_tables(document: OutputDocument) -> dict[str, pa.Table]:
    """The tables of a document: the rows of its queries, or the cells of its blocks. Raises Cancelled."""
    if document.options.columns == "rows":
        return wanted_queries(document)
    found: dict[str, CellColumns] = {}
    for node in document.nodes():
        for leaf in leaves(node):
            document.check_stop()
            _add(leaf, document.options.numbers == "printed", found)
    return {name: cells.table() for name, cells in found.items()}


def _add(leaf: Leaf, printed: bool, found: dict[str, CellColumns]) -> None:
    if isinstance(leaf, TableNode):
        table_cells(leaf, printed, found.setdefault(leaf.name, CellColumns()))
    elif isinstance(leaf, ChartNode):
        chart_cells(leaf, printed, found.setdefault(leaf.fragment.name, CellColumns()))


def _file_name(name: str) -> str:
    return re.sub(r"[^\w.-]+", "-", name).strip("-.") or "rows"
