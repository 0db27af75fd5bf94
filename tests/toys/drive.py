"""Uses a toy of each kind through model, render and window; prints what came of it as JSON."""

import json
import os
import sys
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QLineEdit

from northmoor.app.data.connection_dialog import ConnectionDialog
from northmoor.app.document_controller import Selection
from northmoor.app.pages.dialogs.editions_dialog import EditionsDialog
from northmoor.app.parameters.parameter_form import ParameterForm
from northmoor.app.widgets.theme import apply_theme
from northmoor.app.window import Window
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace import trace
from northmoor.core.errors import NorthmoorError
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, Row, TableBlock
from northmoor.core.model.data.connections import Connections
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.output.page_dump import write_dump
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report


def outline(window: Window) -> list[str]:
    """The entries of Contents."""
    tree = window.pages.contents
    found = tree.findItems("", Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive)
    return [item.text(0) for item in found]


folder = Path(sys.argv[1])
connections = Connections.model_validate({"connections": [{"kind": "clock", "name": "wall"}]})
library = Library(folder, connections)
library.save()
query = Query(
    name="rows",
    connection="wall",
    sql="select hour from hours",
    columns=(QueryColumn(name="hour", type="hours", total="mad"),),
)
total = Row(cells=(Cell(column="hour", value="mad(hour)"),))
table = TableBlock(name="table", query="rows", columns=(Column(name="hour", value="hour"),), total=(total,))
chart = ChartBlock(
    name="chart", query="rows", draw="stems", category=ChartLevel(name="hour", by="hour"),
    measures=(ChartMeasure(name="hour", value="max(hour)"),),
)  # fmt: skip
signature = {"kind": "signature", "name": "sign", "signed_by": "Signed for {sum(rows.hour)} in {:shift} hours"}
edition = Edition.model_validate({"name": "main", "formats": ("words",), "blocks": (chart, table, signature)})
shift = Parameter(name="shift", kind="hours", default="5 h")
report = Report(title="Toys", queries=(query,), parameters=(shift,), editions=(edition,))
path = folder / "toys.moor"
save_report(report, path)
document = Session(library).render(report)
written = document.write(folder / "toys.words")
dump = json.loads(write_dump([document.page(0)], "Toys"))
marks = [item for item in dump["pages"][0]["items"] if item["origin"]["row"] == "mark"]

application = QApplication(["toys"])
apply_theme(application)
window = Window()
window.open(path)
window.show()
while not window.is_up_to_date:
    application.processEvents()
window.controller.select(Selection("chart", "chart"))
shown = [box.currentText() for box in window.pages.inspector.findChildren(QComboBox)]
regions = [each for at in range(len(document)) for each in hit_map(document.composition, at).regions]
signed = next(each for each in regions if each.row == "signature" and each.block == "sign")
page = next(at for at in range(len(document)) if signed in hit_map(document.composition, at).regions)
window.actions_by_name["add_signature"].trigger()
selected = window.controller.selection
editions = EditionsDialog(window.controller, window)
form = ParameterForm(shift, report, lambda _: [], {}, lambda *_: None)
offered = next(box for box in form.findChildren(QComboBox) if box.findText("Hours of work") >= 0)
try:
    Session(library).render(report, values={"shift": "long"})
except NorthmoorError as error:
    refused = str(error)
kinds = ConnectionDialog(library, window.worker, None, window).kind
sys.stdout.write(
    json.dumps(
        {
            "findings": [str(finding) for finding in document.findings],
            "words": written[0].read_text().split("\n"),
            "stems": len(marks),
            "chosen": shown,
            "traced": trace(document, page, signed, CancelToken()).shown,
            "outline": any("Signature · sign" in text for text in outline(window)),
            "inserted": selected.kind,
            "fields": [line.text() for line in window.pages.inspector.findChildren(QLineEdit)],
            "formats": [box.text() for box in editions.findChildren(QCheckBox)],
            "held": str(document.rows["rows"].table.schema.field("hour").type),
            "kinds": [offered.itemText(at) for at in range(offered.count())],
            "shift": window.parameters.units["shift"].control.target.text(),
            "refused": refused,
            "connections": [kinds.itemText(at) for at in range(kinds.count())],
        }
    )
    + "\n"
)
sys.stdout.flush()
window.worker.close()
window.catalog_worker.close()
os._exit(0)
