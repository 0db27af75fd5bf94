"""For-each blocks: each record's own rows against straight SQL, however deep, in whatever order, on whatever pages."""

import sqlite3
from collections.abc import Callable
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import pypdfium2
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.preflight import preflight
from northmoor.core.checks.trace import trace
from northmoor.core.document import Document
from northmoor.core.errors import Cancelled
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.simple import ReadoutBlock, ShapeBlock
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Link, LinkedColumns, Query
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece
from northmoor.core.model.report import Report
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.reports.freight_statement import freight_statement
from tests.helpers import dumped, examples, level_of, lines_of, query, render, report_of, row_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
ROWS = """
create table shippers (id integer, name text, port text);
create table waybills (id integer, shipper integer, number text);
create table items (waybill integer, goods text, charge decimal(10,2));
insert into shippers values (1, 'Aird', 'OX'), (2, 'Bruna', 'IL'), (3, 'Calder', 'OX'), (4, 'Dunmore', null);
insert into waybills with recursive r(i) as (select 1 union all select i + 1 from r where i < 12)
select i, 1 + i * 5 % 3, 'W' || (100 - i) from r;
insert into items with recursive r(i) as (select 1 union all select i + 1 from r where i < 40)
select 1 + i * 7 % 11, 'goods ' || i, (i * 37 % 101 - 20) / 4.0 from r;
create table prices (port text, service text, price decimal(8,2));
insert into prices values ('OX', 'berth', 42.00), ('OX', 'water', 3.10), ('IL', 'berth', 39.50), ('SK', 'berth', 51.00);
"""
"""Four shippers, one without waybills and a port; twelve waybills, one without items; prices by port."""


def linked(own: str, other: str, to: str) -> Link:
    return Link(query=to, columns=(LinkedColumns(own=own, other=other),))


def queries() -> tuple[Query, ...]:
    return (
        query("select * from shippers", name="shippers"),
        query("select * from waybills", name="waybills").but(detail_of=linked("shipper", "id", "shippers")),
        query("select * from items", name="items").but(detail_of=linked("waybill", "id", "waybills")),
        query("select * from prices", name="prices"),
    )


def nested(*innermost: Block, **more: Any) -> ForEachBlock:
    """Shippers, in each its waybills, in each what is given."""
    number = TextBlock(name="number", text="{number}: {count(*)}")
    waybills = ForEachBlock(
        name="waybill", query="waybills", by="id", page_break="none", blocks=(number, *innermost), **more
    )
    return for_each(TextBlock(name="name", text="{id} {name}"), waybills)


def for_each(*blocks: Block, **more: Any) -> ForEachBlock:
    made = {"name": "shipper", "query": "shippers", "by": "id"} | more
    return ForEachBlock(blocks=blocks, **made)


def texts(document: Document, *blocks: str) -> list[str]:
    """The lines that some blocks print, in printed order."""
    found = [i for page in dumped(document)["pages"] for i in page["items"] if i["kind"] == "text"]
    return [i["text"] for i in found if i["origin"]["block"] in blocks]


def straight(sql: str, script: str = ROWS) -> list[tuple[Any, ...]]:
    connection = sqlite3.connect(":memory:")
    connection.executescript(script)
    return connection.execute(sql).fetchall()


def test_three_levels_show_their_own_records(library: MakeLibrary) -> None:
    goods = TextBlock(name="goods", text="{goods} {charge; 0.00}")
    inner = ForEachBlock(name="item", query="items", by="goods", page_break="none", blocks=(goods,))
    document = render(report_of(nested(inner), queries=queries()), library(ROWS))
    wanted = []
    for shipper, name in straight("select id, name from shippers order by 1"):
        wanted.append(f"{shipper} {name}")
        for waybill, number in straight(f"select id, number from waybills where shipper = {shipper} order by id"):
            wanted.append(f"{number}: 1")
            found = straight(f"select goods, charge from items where waybill = {waybill} order by goods")
            wanted += [f"{text} {charge:.2f}" for text, charge in found]
    assert texts(document, "name", "number", "goods") == wanted
    assert len(document) == 4  # a page for each shipper, the one without waybills too
    assert not [finding for finding in document.findings if finding.is_error]


def test_a_table_in_a_record_totals_that_records_rows(library: MakeLibrary) -> None:
    table = table_of("goods", "charge", total=(row_of(charge="sum(charge)", goods="{count(*)}"),)).but(query="items")
    document = render(report_of(nested(table), queries=queries()), library(ROWS))
    sums = straight("select w.id, count(*), sum(i.charge) from waybills w join items i on i.waybill = w.id"
                    " group by w.id order by w.shipper, w.id")  # fmt: skip
    printed = [line for line in lines_of(document) if line.kind == "total"]
    assert [(line.keys[-1], line.cells["goods"], Decimal(line.cells["charge"])) for line in printed] == [
        (waybill, str(count), Decimal(str(total)).quantize(Decimal("0.01"))) for waybill, count, total in sums
    ]
    rows = straight("select i.goods from waybills w join items i on i.waybill = w.id order by w.shipper, w.id, i.rowid")
    details = [line.cells["goods"] for line in lines_of(document) if line.kind == "detail"]
    assert sorted(details) == sorted(text for (text,) in rows)
    assert [line.level for line in printed] == ["waybill"] * len(sums)


def test_records_keep_their_own_order_and_choice(library: MakeLibrary) -> None:
    table = table_of("number", total=(row_of(number="count(*)"),)).but(query="waybills")
    block = for_each(
        TextBlock(name="name", text="{name}"), table, order_by="-max(id)", first_groups=3, keep_groups="max(id) <> 2"
    )
    document = render(report_of(block, queries=queries()), library(ROWS))
    assert texts(document, "name") == ["Dunmore", "Calder", "Aird"]
    totals = {line.page: line.cells["number"] for line in lines_of(document) if line.kind == "total"}
    counts = dict(straight("select shipper, count(*) from waybills group by 1"))
    assert totals == {2: str(counts[3]), 3: str(counts[1])}


def test_rows_that_several_records_share_are_in_each(library: MakeLibrary) -> None:
    table = table_of("service", "price", page_total=row_of(price="sum(price) over page")).but(
        query="prices", of_record=(LinkedColumns(own="port", other="port"),), when_empty="No prices for {1 + 1} ports."
    )
    document = render(report_of(for_each(table, restart_page_number=True), queries=queries()), library(ROWS))
    by_page = {page: [x.cells["service"] for x in lines_of(document) if x.page == page and x.kind == "detail"]
               for page in (1, 2, 3, 4)}  # fmt: skip
    assert by_page == {1: ["berth", "water"], 2: ["berth"], 3: ["berth", "water"], 4: []}
    totals = [line.cells["price"] for line in lines_of(document) if line.level == "page"]
    assert totals == ["45.10", "39.50", "45.10"]
    assert texts(document, "table")[-1] == "No prices for 2 ports."
    without = render(report_of(for_each(table, without_rows="left_out"), queries=queries()), library(ROWS))
    assert len(without) == 3


def test_what_is_carried_forward_begins_again_with_each_record(library: MakeLibrary) -> None:
    script = """create table rows (who text, v integer);
    insert into rows with recursive r(i) as (select 1 union all select i + 1 from r where i < 260)
    select case when i % 5 < 2 then 'b' else 'a' end, i from r;"""
    table = table_of(
        "v", brought_forward=row_of(v="sum(v) over pages_before"), carried_forward=row_of(v="sum(v) over pages_to_here"),
        page_total=row_of(v="sum(v) over page"), total=(row_of(v="sum(v)"),),
    )  # fmt: skip
    block = ForEachBlock(
        name="who", query="rows", by="who", blocks=(table,), restart_page_number=True, bookmark="<{who}>"
    )
    footer = Running(lines=(RunningLine(end=TextPiece(text="{page_number()}/{page_count()}")),))
    report = report_of(block, sql="select * from rows", edition={"footer": footer})
    document = render(report, library(script))
    pages: dict[int, dict[str, list[int]]] = {}
    for line in lines_of(document):
        if line.kind != "head":
            pages.setdefault(line.page, {}).setdefault(line.level or line.kind, []).append(
                int(line.cells["v"].replace(",", ""))
            )
    for who, begin in (("a", 0), ("b", 4)):
        rows = [v for (v,) in straight(f"select v from rows where who = '{who}' order by rowid", script)]
        done = 0
        own = [pages[number] for number in sorted(pages) if (number > begin) and (begin or number <= 4)]
        for at, page in enumerate(own):
            assert page.get("pages_before") == ([done] if at else None)
            assert page["detail"] == rows[: len(page["detail"])]
            rows = rows[len(page["detail"]) :]
            assert page["page"] == [sum(page["detail"])]
            done += sum(page["detail"])
            assert page.get("pages_to_here") == ([done] if at + 1 < len(own) else None)
        assert not rows
        assert list(own[-1])[-2:] == ["page", "who"]  # the page's total is before that of the record
        assert own[-1]["who"] == [done]
    assert texts(document, "footer") == ["1/4", "2/4", "3/4", "4/4", "1/3", "2/3", "3/3"]
    marks = [mark.title for index in range(len(document)) for mark in document.page(index).bookmarks]
    assert marks == ["<a>", "<b>"]


@settings(max_examples=examples(15), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(st.tuples(st.integers(0, 4), st.sampled_from("pq"), st.integers(-50, 50)), min_size=1, max_size=60),
    together=st.booleans(),
    breaks=st.sampled_from(["none", "between"]),
)
def test_every_row_is_printed_once_in_its_record(
    library: MakeLibrary, rows: list[tuple[int, str, int]], together: bool, breaks: str
) -> None:
    values = ", ".join(f"({who}, '{kind}', {v})" for who, kind, v in rows)
    script = f"create table rows (who integer, kind text, v integer); insert into rows values {values};"
    table = table_of("v", keep_together=together, levels=(level_of("kind", total=row_of(v="sum(v)")),))
    heading = TextBlock(name="heading", text="{who}", stays_with_next=True)
    block = ForEachBlock(name="who", query="rows", by="who", blocks=(heading, table), page_break=breaks,
                         keep_together=together)  # fmt: skip
    page = PageSetup(size="A5", margin_top=200_000, margin_bottom=200_000)
    document = render(report_of(block, sql="select * from rows", page=page), library(script))
    details = [(line.keys[0], int(line.cells["v"])) for line in lines_of(document) if line.kind == "detail"]
    wanted = [(who, v) for who, _, v in sorted(rows, key=lambda row: (row[0], row[1]))]
    assert details == wanted
    body = (200.0, 595.276 - 200.0)
    for found in dumped(document)["pages"]:
        drawn = found["items"]
        assert all(body[0] - 0.01 <= i["y"] and i["y"] + i["height"] <= body[1] + 0.01 for i in drawn)
        assert drawn[-1]["origin"]["block"] != "heading"  # it is with what follows


def test_charts_and_conditions_follow_the_record(library: MakeLibrary) -> None:
    chart = ChartBlock(
        name="chart", query="waybills", category=ChartLevel(name="category", by="number"),
        measures=(ChartMeasure(name="m", value="count(*)"),),
    )  # fmt: skip
    only = TextBlock(name="only", text="in Oxholm", visible="port = 'OX'")
    document = render(report_of(for_each(only, chart), queries=queries()), library(ROWS))
    found = [(p["number"], i) for p in dumped(document)["pages"] for i in p["items"]]
    marks = [(page, i["origin"]["keys"][-1]) for page, i in found if i["origin"]["row"] == "mark"]
    wanted = straight("select shipper, number from waybills order by shipper, number")
    assert marks == wanted
    assert [page for page, i in found if i["origin"]["block"] == "only"] == [1, 3]


def test_faults_in_a_record_are_reported_and_the_rest_is_printed(library: MakeLibrary) -> None:
    table = table_of(Column(name="n", value="number")).but(query="waybills")
    blocks = (
        TextBlock(name="bad", text="{nothing} {name}"),
        table.but(name="broken", of_record=(LinkedColumns(own="nowhere", other="id"),)),
        table.but(name="untied", of_record=(LinkedColumns(own="shipper", other="nowhere"),)),
        table,
    )  # fmt: skip
    document = render(report_of(for_each(*blocks), queries=queries()), library(ROWS))
    message = {finding.place.block: finding.message for finding in document.findings if finding.is_error}
    assert "nothing" in message["bad"]
    assert "nowhere" in message["broken"]
    assert "Which rows belong to a record cannot be determined" in message["untied"]
    assert len([line for line in lines_of(document) if line.kind == "detail"]) == 12


@pytest.mark.slow
def test_statements_of_all_shippers_are_right_to_the_cent(demo: Path, tarrow: sqlite3.Connection) -> None:
    document = Session(Library.around(demo / "reports")).render(freight_statement(), {"month": "2025-10-01"})
    wanted = _due(tarrow, "2025-10")
    assert len(wanted) > 100
    due: dict[int, Decimal] = {}
    for index in range(len(document)):
        for item in items(document.page(index)):
            if item.origin.block == "amount" and (item.text or "").startswith("€"):
                due[item.origin.keys[-1]] = Decimal((item.text or "").removeprefix("€").replace(",", ""))
    assert due == {shipper: total for shipper, (_, total) in wanted.items()}
    pages: dict[Any, set[int]] = {}
    lines = lines_of(document, "taxes")
    for line in lines:
        if line.kind in ("detail", "total"):
            pages.setdefault(line.keys[0], set()).add(line.page)
    assert all(len(own) == 1 for own in pages.values())  # every tax summary is whole
    by_rate = {(line.keys[0], line.cells["tax_code"]): Decimal(line.cells["tax"].replace(",", ""))
               for line in lines if line.kind == "detail"}  # fmt: skip
    assert by_rate == {(shipper, code): tax for shipper, (taxes, _) in wanted.items() for code, tax in taxes.items()}
    assert not document.findings


def _due(tarrow: sqlite3.Connection, month: str) -> dict[int, tuple[dict[str, Decimal], Decimal]]:
    """For each shipper: the tax of each code, and what is due; by straight SQL over whole cents."""
    rows = tarrow.execute(
        "select shipper_id, tax_code, tax_rate, sum(cast(round(charge * 100) as integer)) from waybills"
        " join waybill_lines using (waybill_id) where status <> 'cancelled' and strftime('%Y-%m', shipped_on) = ?"
        " group by 1, 2, 3", (month,),
    )  # fmt: skip
    found: dict[int, tuple[dict[str, Decimal], Decimal]] = {}
    for shipper, code, rate, cents in rows:
        net = Decimal(cents) / 100
        tax = (net * Decimal(str(rate)) / 100).quantize(Decimal("0.01"), ROUND_HALF_UP)
        taxes, total = found.get(shipper, ({}, Decimal(0)))
        found[shipper] = ({**taxes, code: tax}, total + net + tax)
    return found


@pytest.mark.parametrize("around", [True, False])
def test_expressions_may_hold_any_sign_and_faulty_ones_are_reported(library: MakeLibrary, around: bool) -> None:
    blocks = (
        ReadoutBlock(name="odd", value=" 'a;b}{' ", against="'c;d'"),
        ReadoutBlock(name="bad", value="sum(", against="("),
        TextBlock(name="shown", text="shown", visible="'x;}' = 'x;}'"),
        TextBlock(name="message", text="message", visible="1 +"),
        TextBlock(name="torn", text="{"),
    )
    report = report_of(for_each(*blocks, first_groups=1) if around else blocks[0], *(() if around else blocks[1:]),
                       queries=queries())  # fmt: skip
    document = render(report, library(ROWS))
    assert texts(document, "odd") == ["a;b}{", "–"]
    assert texts(document, "shown", "message") == ["shown", "message"]
    assert {finding.place.block for finding in document.findings} >= {"bad", "message", "torn"}


def test_bookmarks_lead_to_where_their_record_is(library: MakeLibrary) -> None:
    block = for_each(
        ShapeBlock(name="shape", height=300_000), TextBlock(name="name", text="{name}"), page_break="none",
        keep_together=True, bookmark="{name}",
    )  # fmt: skip
    pages = dumped(render(report_of(block, queries=queries()), library(ROWS)))["pages"]
    found = [(page["number"], mark["title"]) for page in pages for mark in page["bookmarks"]]
    printed = [(page["number"], i["text"]) for page in pages for i in page["items"] if i["kind"] == "text"]
    assert found == printed
    assert len(pages) == 2


def test_placing_records_can_be_stopped_at_any_of_them(library: MakeLibrary) -> None:
    class Late(CancelToken):
        """Stops once it has been asked so often."""

        def __init__(self, left: int) -> None:
            super().__init__()
            self.left = left

        def raise_if_cancelled(self) -> None:
            self.left -= 1
            if self.left < 0:
                self.cancel()
            super().raise_if_cancelled()

    session, report = Session(library(ROWS)), report_of(nested(), queries=queries())
    session.render(report)  # rows and figures are known then, so that little is left but placing
    stopped = 0
    for left in range(200):
        try:
            session.render(report, stop=Late(left))
        except Cancelled:
            stopped += 1
        else:
            break
    assert 20 < stopped < 199


def test_a_file_with_a_for_each_is_read_back_as_it_was(library: MakeLibrary) -> None:
    report = report_of(nested(), queries=queries())
    assert Report.model_validate_json(report.model_dump_json(by_alias=True)) == report
    with pytest.raises(ValueError, match="uses the query 'gone'"):
        report_of(for_each(query="gone"), queries=queries())
    with pytest.raises(ValueError, match="two blocks are named 'name'"):
        report_of(nested(TextBlock(name="name")), queries=queries())
    pdf = render(report, library(ROWS)).pdf()
    assert len(pypdfium2.PdfDocument(pdf)) == 4


def test_figures_in_a_record_are_traced_to_its_rows(library: MakeLibrary) -> None:
    total = ReadoutBlock(name="total", value="count(*)")
    chart = ChartBlock(
        name="chart", query="waybills", category=ChartLevel(name="category", by="number"),
        measures=(ChartMeasure(name="m", value="count(*)"),),
    )  # fmt: skip
    table = table_of("number", total=(row_of(number="count(*)"),), page_total=row_of(number="min(id) over page"))
    number = TextBlock(name="said", text="Shipper {shipper} has {count(*)}")
    records = ForEachBlock(
        name="shipper", query="waybills", by="shipper", order_by="-shipper", blocks=(number, total, chart, table)
    ).but(blocks=(number, total, chart, table.but(query="waybills")))  # fmt: skip
    document = render(report_of(records, queries=queries()), library(ROWS))
    counts = dict(straight("select shipper, count(*) from waybills group by 1"))
    firsts = dict(straight("select shipper, min(id) from waybills group by 1"))
    for page, shipper in enumerate((3, 2, 1)):
        found = [region for region in hit_map(document.composition, page).regions if region.row in
                 ("text", "readout", "mark", "total", "page_total") and (region.column or region.block != "table")]  # fmt: skip
        traces = {(region.block, region.level): trace(document, page, region, CancelToken()) for region in found}
        assert len(traces) == 5
        for (block, level), each in traces.items():
            assert all(figure.agrees for figure in each.figures), (block, each.figures)
            last = each.figures[-1].value
            if block == "chart":
                assert (last, each.rows.table.num_rows) == (1, 1)
            elif (block, level) == ("table", None):
                assert last == firsts[shipper]
            else:
                assert last == counts[shipper]
            rows = each.rows
            assert rows is not None
            assert set(rows.table["shipper"].to_pylist()) == {shipper}


SALES = """
create table sales as with recursive n(i) as (select 0 union all select i + 1 from n where i < 239)
select 'r' || (i * 7 % 5) as route, 'v' || (i * 11 % 3) as vessel, 1 + i * 13 % 4 as quarter, i % 17 + 1 as fare from n
where i % 7 > 0 or i % 5 > 1;
"""


@pytest.mark.parametrize("stepped", [False, True])
def test_a_matrix_in_a_record_totals_its_rows_as_straight_sql_does(
    library: MakeLibrary, tmp_path: Path, stepped: bool
) -> None:
    made = library(SALES)
    matrix = MatrixBlock(
        name="matrix", query="rows", stepped=stepped, rows=(MatrixLevel(name="vessel", by="vessel"),),
        columns=(MatrixLevel(name="quarter", by="quarter"),), row_total_text="All of {route}",
        measures=(Measure(name="fares", value="sum(fare)", format="0"),),
    )  # fmt: skip
    each = ForEachBlock(name="route", query="rows", by="route", page_break="none",
                        blocks=(TextBlock(name="said", text="{route}"), matrix))  # fmt: skip
    report = report_of(each, queries=[query("select * from sales")])
    document = render(report, made)
    assert not document.findings
    with sqlite3.connect(tmp_path / "db.sqlite") as straight:
        asked = "select route, vessel, quarter, sum(fare) from sales group by 1, 2, 3"
        cells = {(r, v, str(q)): str(fare) for r, v, q, fare in straight.execute(asked)}
        totals = dict(straight.execute("select route, cast(sum(fare) as text) from sales group by 1"))
    found: dict[tuple[str, str, str], str] = {}
    shown: dict[str, str] = {}
    for page in dumped(document)["pages"]:
        for item in (i for i in page["items"] if i["origin"]["block"] == "matrix" and i["kind"] == "text"):
            origin = item["origin"]
            if origin["row"] == "detail" and origin["across"]:
                found[origin["keys"][0], origin["keys"][1], str(origin["across"][0])] = item["text"]
            if origin["row"] == "total" and not origin["across"] and item["text"].isdigit():
                shown[origin["keys"][0]] = item["text"]
    assert {place: text for place, text in found.items() if text} == cells
    assert shown == totals
    labels = [
        i["text"] for page in dumped(document)["pages"] for i in page["items"] if i.get("text", "").startswith("All of")
    ]
    assert labels == [f"All of {route}" for route in sorted(totals)]
    keys = {i["text"] for page in dumped(document)["pages"] for i in page["items"] if i["origin"]["row"] == "detail" and
            i["kind"] == "text"}  # fmt: skip
    assert not keys & set(totals)  # the record's own key is in its text, not in the matrix


@pytest.mark.parametrize("down", [(), (MatrixLevel(name="vessel", by="vessel"),)])
def test_a_matrix_in_a_record_compares_with_the_records_own_columns(
    library: MakeLibrary, tmp_path: Path, down: tuple[MatrixLevel, ...]
) -> None:
    """With and without a level down its side; a whole column is that of the record."""
    made = library(SALES)
    matrix = MatrixBlock(
        name="matrix", query="rows", rows=down, columns=(MatrixLevel(name="quarter", by="quarter"),),
        column_total="none", row_total="none", measures=(
            Measure(name="fares", value="sum(fare)", format="0"),
            Measure(name="share", text="{round(100 * sum(fare) / sum(fare) over column); 0}%", look=Style(bold=True)),
        ),
    )  # fmt: skip
    each = ForEachBlock(name="route", query="rows", by="route", page_break="none", blocks=(matrix,))
    document = render(report_of(each, queries=[query("select * from sales")]), made)
    assert not document.findings
    own = "vessel" if down else "null"
    with sqlite3.connect(tmp_path / "db.sqlite") as straight:
        asked = f"""select route, {own}, quarter, sum(fare),
            round(100.0 * sum(fare) / sum(sum(fare)) over (partition by route, quarter)) from sales group by 1, 2, 3"""
        wanted = {(r, *([v] if down else []), str(q)): {str(fare), f"{share:.0f}%"}
                  for r, v, q, fare, share in straight.execute(asked)}  # fmt: skip
    found: dict[tuple[str, ...], set[str]] = {}
    for page in dumped(document)["pages"]:
        for item in (i for i in page["items"] if i["kind"] == "text" and i["origin"]["row"] == "detail"):
            if item["origin"]["across"] and item["text"]:
                place = (*item["origin"]["keys"], str(item["origin"]["across"][0]))
                found.setdefault(place, set()).add(item["text"])
    assert found == wanted


@pytest.mark.parametrize("down", [(), (MatrixLevel(name="vessel", by="vessel"),)])
@pytest.mark.variants
def test_a_figure_of_a_matrix_in_a_record_is_traced_to_its_rows(
    library: MakeLibrary, down: tuple[MatrixLevel, ...]
) -> None:
    matrix = MatrixBlock(
        name="matrix", query="rows", rows=down,
        columns=(MatrixLevel(name="quarter", by="quarter"),), measures=(Measure(name="fares", value="sum(fare)"),),
    )  # fmt: skip
    each = ForEachBlock(name="route", query="rows", by="route", page_break="none", blocks=(matrix,))
    document = render(report_of(each, queries=[query("select * from sales")]), library(SALES))
    regions = [
        s for s in hit_map(document.composition, 0).regions if s.part == "measure" and s.row in ("detail", "total")
    ]
    assert {region.row for region in regions} == ({"detail", "total"} if down else {"detail"})
    for region in regions[:40]:
        found = trace(document, 0, region, CancelToken())
        assert "all" not in found.scope  # the level that it is given where it has none
        for figure in found.figures:
            assert figure.verification.why_not is None
            assert figure.verification.value == figure.value
            assert found.rows is not None
            if figure.value is not None:
                assert sum(found.rows.table["fare"].to_pylist()) == figure.value


def test_texts_and_cells_of_records_know_the_document(library: MakeLibrary) -> None:
    table = table_of("id", total=(row_of(id="Report_Title ()"),))
    text = TextBlock(name="said", text="{name}: {report_title()}, {data_time(); yyyy-MM-dd}")
    made = Session(library(ROWS))
    report = report_of(for_each(text, table.but(query="shippers")), queries=queries())
    names = [name for (name,) in straight("select name from shippers order by id")]
    for title in ("May", "June"):  # what says the title is computed again with it
        document = made.render(report.but(title=title), {"data_time": "2026-01-01T06:00"})
        assert texts(document, "said") == [f"{name}: {title}, 2026-01-01" for name in names]
        assert [line.cells["id"] for line in lines_of(document) if line.kind == "total"] == [title] * len(names)
        assert not document.findings


@settings(max_examples=examples(40), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(said=st.lists(st.text("aW fi-/\n {é✔", max_size=60), min_size=1, max_size=8))
def test_texts_of_records_break_like_texts_by_themselves(library: MakeLibrary, said: list[str]) -> None:
    made = library(script_of(said))
    page = PageSetup(size="A6", margin_left=110_000, margin_right=110_000)
    text = TextBlock(name="t", text="{t}")
    block = ForEachBlock(name="each", query="rows", by="n", page_break="none", blocks=(text,))
    alone = [TextBlock(name=f"t{at}", text=text.replace("{", "{{")) for at, text in enumerate(said)]
    places = [
        [(i["x"], i["y"], i["width"], i["text"]) for page in dumped(document)["pages"] for i in page["items"]]
        for document in (render(report_of(*blocks, page=page), made) for blocks in ([block], alone))
    ]
    assert places[0] == places[1]


def test_names_in_records_lead_to_where_they_first_are(library: MakeLibrary) -> None:
    numbers = table_of(Column(name="n", value="number", anchor="waybill {number}")).but(query="waybills")
    goods = table_of(Column(name="g", value="goods", anchor="{goods}")).but(name="goods", query="items", all_rows=True)
    document = render(report_of(for_each(numbers, goods), queries=queries()), library(ROWS))
    found: dict[str, tuple[int, float]] = {}
    names: dict[str, tuple[int, float]] = {}
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            if item["kind"] == "text" and item["origin"]["row"] == "detail":
                is_number = item["origin"]["column"] == "n"
                name = f"waybill {item['text']}" if is_number else item["text"]
                found.setdefault(name, (page["number"], item["y"]))
        names |= {a["name"]: (page["number"], a["y"]) for a in page["anchors"] if a["name"] in found}
    assert names.keys() == found.keys()
    for name, (number, y) in found.items():
        assert names[name][0] == number
        assert 0 <= y - names[name][1] < 5  # the name's row begins a padding above its text


def test_preflight_reports_of_a_table_in_records_once(library: MakeLibrary) -> None:
    values = ", ".join(f"('{who}', 'g{n // 9}', {n})" for who in "abc" for n in range(40))
    script = f"create table rows (who text, kind text, v integer); insert into rows values {values};"
    table = table_of(Column(name="v", value="v", link="#nowhere {who}"), rows_per_page=12,
                     levels=(level_of("kind", keep_together=True, largest_gap=0.0),))  # fmt: skip
    block = ForEachBlock(name="who", query="rows", by="who", blocks=(table,))
    page = PageSetup(size="A5", margin_top=250_000, margin_bottom=250_000)
    document = render(report_of(block, sql="select * from rows", page=page), library(script))
    most = max(len([line for line in lines_of(document) if line.page == number]) for number in range(1, len(document)))
    message = [finding for finding in preflight(document) if finding.place.block == "table"]
    assert [finding.rule for finding in message] == ["rows a page", "split group", "link"]
    assert f"pages have up to {most}, evenly" in message[0].message
    split = sum(
        len({line.page for line in lines_of(document) if line.keys == keys}) > 1
        for keys in {line.keys for line in lines_of(document) if line.kind == "detail"}
    )
    assert message[1].message.startswith(f"{split} groups that are kept together had to be split")
