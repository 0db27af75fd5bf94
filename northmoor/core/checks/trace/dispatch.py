"""Trace: why a figure is what it is. Its formula, what it is over, the very rows, and what plain SQL says of them."""

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace.charts import trace_mark
from northmoor.core.checks.trace.figures import Trace
from northmoor.core.checks.trace.matrices import trace_matrix
from northmoor.core.checks.trace.signal_figures import with_readings
from northmoor.core.checks.trace.tables import trace_cell, traced_fragment
from northmoor.core.checks.trace.texts import trace_text, trace_text_of_record
from northmoor.core.document import Document
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.block_types import TRACED_KINDS


def trace(document: Document, page: int, region: HitRegion, stop: CancelToken) -> Trace:
    """Trace what is at a spot of a page (its index): the cell of a table, a paragraph, a piece of header or footer.

    Raises LayoutError where there is nothing to trace.
    """
    if region.row in TRACED_KINDS and region.printed is not None:
        return trace_text_of_record(document, region, stop)
    if region.row in (*TRACED_KINDS, "header", "footer"):
        return trace_text(document, page, region, stop)
    return with_readings(document, _data_trace(document, page, region, stop), stop)


def _data_trace(document: Document, page: int, region: HitRegion, stop: CancelToken) -> Trace:
    """The trace of a mark of a chart, or of a cell of a matrix or a table."""
    if region.part == "chart":
        return trace_mark(document, page, region, stop)
    fragment = traced_fragment(document, page, region)
    if fragment.layout.data.crosstab is not None:
        return trace_matrix(document, fragment, region, stop)
    return trace_cell(document, fragment, region, stop)
