"""What goes to a spreadsheet by the clipboard: exact values, and nothing that falls into the wrong cell."""

import csv
from datetime import date
from decimal import Decimal

import pyarrow as pa

from northmoor.core.export.spreadsheet_text import spreadsheet_text


def test_values_are_exact_and_stay_in_their_cells() -> None:
    values = pa.table({
        "Goods\tand more": ["fish", 'two\nlines, "quoted"', None],
        "Weight": pa.array([Decimal("12345678901234.50"), None, Decimal("0.10")], pa.decimal128(18, 2)),
        "Day": [date(2025, 3, 1), None, date(2025, 3, 2)],
        "Paid": [True, False, None],
        "Ports": [["SK", "IL"], [], None],
    })  # fmt: skip
    rows = list(csv.reader(spreadsheet_text(values).splitlines(keepends=True), delimiter="\t"))
    assert rows == [
        ["Goods\tand more", "Weight", "Day", "Paid", "Ports"],
        ["fish", "12345678901234.50", "2025-03-01", "true", "['SK', 'IL']"],
        ['two\nlines, "quoted"', "", "", "false", "[]"],
        ["", "0.10", "2025-03-02", "", ""],
    ]
