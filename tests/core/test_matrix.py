"""Matrices: every figure against straight SQL, over rows with gaps, nulls and negative values; sides, totals, windows."""

from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import Any

import duckdb
import pytest
from msgspec import Struct
from pydantic import ValidationError

from northmoor.core.checks.preflight import preflight
from northmoor.core.document import Document
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ColorScale, Style
from northmoor.core.sources.library import Library
from tests.helpers import dumped, query, render, report_of

MakeLibrary = Callable[[str], Library]
SAILED = """
create table lines (region text, port text, day date, vessel text, fares decimal(10,2), n integer);
insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 599)
select 'g' || (i * 7 % 3), case when i % 41 = 0 then null else 'p' || (i * 11 % 7) end,
  date('2024-01-01', '+' || (i * 37 % 700) || ' days'), 'v' || (i % 4), round(((i * 7919) % 20011 - 5000) / 100.0, 2), i % 9
from r where not (i * 11 % 7 = 3 and (i * 37 % 700) / 100 = 2);
insert into lines values ('g0', 'p9', '2025-06-01', 'v1', 0, 0), ('g0', 'p9', '2025-06-02', 'v1', 0, 0);
create table ports (code text); insert into ports values ('p1'), ('p2'), ('p8');
"""
YEAR = "date_trunc('year', day)"
WIDE = PageSetup(size="A3", orientation="landscape")


def matrix_of(*measures: Measure | str, **more: Any) -> MatrixBlock:
    made = tuple(m if isinstance(m, Measure) else Measure(name=m, value=m, format="0.0000") for m in measures)
    return MatrixBlock(**{"name": "matrix", "query": "rows", "measures": made, "when_wide": "across", **more})


def level(by: str, **more: Any) -> MatrixLevel:
    return MatrixLevel(**{"name": "year" if by == YEAR else by, "by": by, **more})


def report(*blocks: MatrixBlock, **more: Any) -> Report:
    return report_of(*blocks, page=WIDE, **more)


class Cell(Struct, frozen=True):
    """A printed cell: the page, the kind of its row and whose total it is, the keys of its row and column, its text."""

    page: int
    row: str
    level: str | None
    keys: tuple[Any, ...]
    across: tuple[Any, ...]
    column: str
    text: str
    x: float


def cells_of(document: Document, *kinds: str) -> Iterator[Cell]:
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            o = item["origin"]
            if item["kind"] == "text" and o["block"] == "matrix" and o["row"] in (kinds or ("detail", "total")):
                keys, across = (tuple(str(k)[:10] if k is not None else None for k in o[n]) for n in ("keys", "across"))
                yield Cell(page["number"], o["row"], o["level"], keys, across, o["column"], item["text"], item["x"])


def values_of(document: Document, measure: str) -> dict[tuple[Any, Any], str]:
    """The texts of a measure's cells by the keys of their row and of their column."""
    return {(c.keys, c.across): c.text for c in cells_of(document) if c.column == measure}


def straight(
    document: Document, measure: str, rows: tuple[str, ...], columns: tuple[str, ...]
) -> dict[Any, float | None]:
    """What straight SQL says of every crossing of two sides, totals of all depths included, that has rows."""
    given = document.rows["rows"].table  # noqa: F841  # asked by name
    found = {}
    for i in range(len(rows) + 1):
        for j in range(len(columns) + 1):
            keys = [*rows[:i], *columns[:j]]
            listed = ", ".join(f"cast({key} as varchar)[:10]" for key in keys)
            by = f"group by {', '.join(keys)}" if keys else ""
            for row in duckdb.sql(f"select {measure}{', ' if keys else ''}{listed} from given {by}").fetchall():
                found[tuple(row[1 : i + 1]), tuple(row[i + 1 :])] = row[0]
    return found


@pytest.mark.parametrize("added_up", [False, True])
@pytest.mark.parametrize(
    "measure", ["sum(fares)", "avg(fares)", "count(distinct vessel)", "sum(fares) / nullif(sum(n), 0)", "median(n)"]
)
@pytest.mark.variants
def test_every_cell_and_total_is_what_sql_says(
    library: MakeLibrary, measure: str, added_up: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("northmoor.core.compute.crosstab.preaggregation.MANY", 0 if added_up else 10**9)
    matrix = matrix_of(
        Measure(name="m", value=measure, format="0.0000", when_null="none"),
        rows=(level("region", subtotal="after"), level("port")),
        columns=(level(YEAR, subtotal="before", format="y"), level("vessel")),
    )
    document = render(report(matrix), library(SAILED))
    printed = values_of(document, "m")
    said = straight(document, measure, ("region", "port"), (YEAR, "vessel"))
    assert set(printed) == set(said)
    for at, value in said.items():
        assert (
            printed[at] == "none"
            if value is None
            else float(printed[at].replace("−", "-")) == pytest.approx(float(value), abs=6e-5)
        ), at


def test_cells_without_rows_are_distinguished_from_those_that_are_zero(library: MakeLibrary) -> None:
    matrix = matrix_of("sum(fares)", rows=(level("port"),), columns=(level(YEAR),), no_rows="·")
    document = render(report(matrix), library(SAILED))
    printed = values_of(document, "sum(fares)")
    assert (printed[("p9",), ("2024-01-01",)], printed[("p9",), ("2025-01-01",)]) == ("·", "0.0000")
    assert len(printed) == (8 + 1 + 1) * 3  # a null key is a key, too


def test_windows_are_the_row_the_column_levels_and_all(library: MakeLibrary) -> None:
    said = {
        "row": "sum(n) / sum(n) over row", "column": "sum(n) / sum(n) over column", "all": "sum(n) / sum(n) over report",
        "part": "sum(n) / sum(n) over region", "turn": "sum(n) - lag(sum(n)) over row",
        "place": "rank() over (column order by sum(n) desc)", "run": "sum(sum(n)) over (region rows unbounded preceding)",
    }  # fmt: skip
    matrix = matrix_of(
        Measure(name="n", value="sum(n)", format="0"),
        *(Measure(name=name, value=value, format="0.000000") for name, value in said.items()),
        rows=(level("region", subtotal="after"), level("port")),
        columns=(level("vessel"),),
    )
    document = render(report(matrix), library(SAILED))
    n = {at: int(text) for at, text in values_of(document, "n").items()}
    texts = {name: values_of(document, name) for name in said}
    found = {
        name: {at: float(text.replace("−", "-")) for at, text in own.items() if text != "–"}
        for name, own in texts.items()
    }
    over = {
        "row": lambda row, _: (row, ()), "column": lambda _, column: ((), column), "all": lambda *_: ((), ()),
        "part": lambda row, column: (row[:1], column),
    }  # fmt: skip
    for name, around in over.items():
        for at in n:
            if n[around(*at)]:
                assert found[name][at] == pytest.approx(n[at] / n[around(*at)], abs=1e-6), (name, at)
    vessels = [f"v{i}" for i in range(4)]
    for row in {row for row, _ in n if len(row) == 2}:
        for before, own in pairwise(vessels):
            at = (row, (own,))
            if at in n and (row, (before,)) in n:
                assert found["turn"][at] == n[at] - n[row, (before,)]
            else:
                assert at not in found["turn"]  # nothing to take it from
        for vessel in vessels:
            rivals = [n[r, c] for r, c in n if len(r) == 2 and c == (vessel,)]
            if (row, (vessel,)) in n:
                assert found["place"][row, (vessel,)] == 1 + sum(rival > n[row, (vessel,)] for rival in rivals)
    totals = [n[("g1", port), ()] for region, port in dict.fromkeys(r for r, _ in n if len(r) == 2) if region == "g1"]
    runs = [found["run"][row, ()] for row in dict.fromkeys(r for r, _ in n if r[:1] == ("g1",) and len(r) == 2)]
    assert runs == [sum(totals[: at + 1]) for at in range(len(totals))]


@pytest.mark.parametrize(
    ("value", "message"),
    [
        ("sum(sum(n)) over (report rows 1 preceding)", "write over row or over column"),
        ("sum(w)", "there is no field 'w'"),
        ("sum(n) over ports", "no window 'ports' here"),
        ("day", "total it, or group by it"),
    ],
)
@pytest.mark.variants
def test_a_faulty_measure_is_its_own_fault(library: MakeLibrary, value: str, message: str) -> None:
    rows = (level("region", subtotal="after"), level("port"))
    matrix = matrix_of(Measure(name="bad", value=value), "count(*)", rows=rows, columns=(level("vessel"),))
    document = render(report(matrix), library(SAILED))
    assert message in " ".join(f.message for f in document.findings)
    assert values_of(document, "count(*)")[(), ()] == "588.0000"


def test_sides_are_ordered_kept_gathered_and_filled(library: MakeLibrary) -> None:
    made = library(SAILED)

    def rows_of(*levels: MatrixLevel, **more: Any) -> list[Any]:
        document = render(report(matrix_of("sum(fares)", rows=levels, columns=(level("vessel"),), **more)), made)
        return list(dict.fromkeys(c.keys for c in cells_of(document, "detail") if c.column == "sum(fares)"))

    sums = {row[0]: value for (row, column), value in straight(
        render(report(matrix_of("n", rows=(level("port"),))), made), "sum(fares) filter (where vessel = 'v2')", ("port",), ()
    ).items() if row}  # fmt: skip
    ranked = sorted(sums, key=lambda port: (sums[port] is None, -(sums[port] or 0)))
    by = level("port", order="descending", order_by="sum(fares) filter (where vessel = 'v2')")
    assert [row[0] for row in rows_of(by)] == ranked
    assert rows_of(by.but(first_groups=3, others="The rest")) == [(port,) for port in ranked[:3]] + [("The rest",)]
    assert rows_of(level("port", listed=("p5", "p3"), keep_groups="count(*) > 50"))[:2] == [("p5",), ("p3",)]
    assert len(rows_of(level("port"), keep_rows="port in ('p1', 'p2')")) == 2
    filled = rows_of(level("region"), level("port", fill="data"), no_rows="·")
    assert len(filled) == 3 * 8 + 3  # a null port is there where rows have it
    ports = query("select code from ports", name="ports")
    more = report(
        matrix_of(
            "n", rows=(level("port", fill="data", members="ports.code"),), columns=(level("vessel"),), no_rows="·"
        )
    )
    document = render(more.but(queries=(*more.queries, ports)), made)
    assert ("p8",) in {c.keys for c in cells_of(document, "detail")}
    months = matrix_of(
        "count(*)",
        columns=(level("date_trunc('month', day)", name="month", fill="period"),),
        keep_rows="port = 'p3'",
        no_rows="·",
    )
    printed = [c.text for c in cells_of(render(report(months), made), "detail") if c.column == "count(*)"]
    assert len(printed) == 24
    assert "·" in printed


def test_gathered_groups_and_trees_total_their_rows(library: MakeLibrary) -> None:
    made = library(
        "create table lines (centre text, part_of text, year integer, amount decimal(8,2));"
        "insert into lines values ('a', null, 1, 1), ('b', 'a', 1, 10), ('b', 'a', 2, 20), ('c', 'b', 2, 300), ('d', null, 2, 4000)"
    )
    tree = matrix_of(
        "sum(amount)", rows=(level("centre", parent="part_of"),), columns=(MatrixLevel(name="y", by="year"),)
    )
    printed = values_of(render(report(tree), made), "sum(amount)")
    said = {row[0]: float(text) for (row, column), text in printed.items() if row and not column}
    assert said == {"a": 331, "b": 330, "c": 300, "d": 4000}
    assert (printed[("a",), ("2",)], printed[(), ()]) == ("320.0000", "4331.0000")
    few = matrix_of("sum(amount)", rows=(level("centre", order_by="-sum(amount)", first_groups=1, others="Others"),))
    assert values_of(render(report(few), made), "sum(amount)") == {
        (("d",), ()): "4000.0000",
        (("Others",), ()): "331.0000",
        ((), ()): "4331.0000",
    }


@pytest.mark.slow
def test_wide_matrices_go_over_pages_with_their_keys_and_totals_stay_with_their_last_column(
    library: MakeLibrary,
) -> None:
    columns = (
        level("date_trunc('quarter', day)", name="quarter", subtotal="after"),
        level("date_trunc('month', day)", name="month"),
    )
    matrix = matrix_of("sum(fares)", rows=(level("region"), level("port")), columns=columns, no_rows="·")
    for sheets in ("across", "down"):
        document = render(report_of(matrix.but(sheets=sheets), page=PageSetup(size="A5")), library(SAILED))
        cells = [c for c in cells_of(document) if c.column == "sum(fares)"]
        first = {
            page: [c for c in cells if c.page == page and c.keys == ("g0", "p0")] for page in {c.page for c in cells}
        }
        pages = [found for page, found in sorted(first.items()) if found]
        assert len(pages) > 3
        assert all(
            {"region", "port"} <= {c.column for c in cells_of(document) if c.page == found[0].page} for found in pages
        )
        order = [c.across for found in pages for c in found]
        assert len(order) == len(set(order))
        assert all(len(found[0].across) == 2 for found in pages)  # no page begins with a subtotal, or the total
        edge = document.page(0).width / 1000 - 56.6
        assert all(c.x < edge for c in cells)
    assert preflight(document) == ()


def test_measures_are_one_below_the_other_and_a_wide_matrix_shrinks(library: MakeLibrary) -> None:
    measures = (
        Measure(name="sum", value="sum(fares)", title="Fares"),
        Measure(name="share", value="sum(fares) / sum(fares) over row", format="0 %", totals="columns"),
    )
    matrix = matrix_of(*measures, rows=(level("region"),), columns=(level("vessel"),), measures_in="rows")
    document = render(report(matrix), library(SAILED))
    lines = {(c.keys, c.column) for c in cells_of(document)}
    assert {((f"g{i}",), name) for i in range(3) for name in ("sum", "share")} <= lines
    assert ((), "sum") in lines
    assert ((), "share") not in lines
    months = matrix_of(
        "sum(fares)", columns=(level("date_trunc('month', day)", name="month", format="MM"),), when_wide="shrink"
    )
    scale = Measure(name="s", value="sum(fares)", scale=ColorScale(low="#000000", high="#FFFFFF"), look=Style(inset=0))
    fitted = render(
        report_of(months.but(measures=(scale,), minimum_scale=0.4), page=PageSetup(orientation="landscape")),
        library(SAILED),
    )
    sizes = {item["size"] for page in dumped(fitted)["pages"] for item in page["items"] if item["kind"] == "text"}
    assert len(fitted) == 1
    assert max(sizes) < 9
    fills = {item["color"] for page in dumped(fitted)["pages"] for item in page["items"] if item["kind"] == "fill"}
    assert {"#000000", "#ffffff"} <= fills


def test_keys_are_stepped_in_one_column(library: MakeLibrary) -> None:
    matrix = matrix_of(
        "sum(fares)",
        rows=(level("region", subtotal="after", subtotal_text="All {region}"), level("port")),
        columns=(level("vessel"),),
        stepped=True,
        indent=12_000,
    )
    document = render(report(matrix), library(SAILED))
    found = [c for c in cells_of(document, "heading", "detail", "total") if c.column in ("region", "port")]
    assert [c.text for c in found][:3] == ["g0", "p0", "p1"]
    assert found[1].x - found[0].x == pytest.approx(12)
    said = {c.text for c in found if c.row == "total"}
    assert said == {"All g0", "All g1", "All g2", "Total"}
    tree = matrix_of(
        "sum(fares)",
        rows=(level("port", parent="case when port <> 'p0' then 'p0' end"),),
        columns=(level("vessel"),),
        indent=9_000,
    )
    keys = {c.text: c.x for c in cells_of(render(report(tree), library(SAILED)), "detail") if c.column == "port"}
    assert keys["p1"] - keys["p0"] == pytest.approx(9)
    with pytest.raises(ValidationError, match="cannot be named 'page'"):
        matrix_of("n", rows=(level("port").but(name="page"),))


@pytest.mark.slow
def test_hundreds_of_columns_are_parted_and_too_many_are_reported(library: MakeLibrary) -> None:
    made = library(SAILED)
    days = matrix_of("count(*)", rows=(level("region"),), columns=(level("day"),), no_rows="·")
    document = render(report(days), made)
    groups = len(set(document.rows["rows"].table.column("day").to_pylist()))
    printed = [c.across for c in cells_of(document, "detail") if c.column == "count(*)" and c.keys == ("g0",)]
    assert len(printed) == groups + 1 == len(set(printed))
    assert groups > 300
    many = days.but(columns=(level("n * 1000 + fares"),))
    message = " ".join(finding.message for finding in render(report(many, sql=MANY), made).findings)
    assert "2,000 is the most; group the columns more coarsely" in message


MANY = "select l.region, l.n, l.fares + p.rowid * 0.01 as fares from lines l join lines p on p.rowid < 9"


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"rows": (level("prt"),)}, "Did you mean port"),
        ({"rows": (level("port", order_by="sum(zz)"),)}, "no field 'zz'"),
        ({"rows": (level("port", fill="period"),)}, "can be filled from first to last"),
        ({"rows": (level("port", fill="data", members="ports.cod"),)}, "no column 'ports.cod'"),
        ({"columns": (level("n", fill="list", listed=("1", "one")),)}, "do not fit those of the rows"),
        ({"columns": (level("n * 1000000000", fill="period").but(name="x"),)}, "too many numbers to be filled in"),
        ({"rows": (level("fares"), level("day", fill="data"))}, "more than 200,000 groups"),
        ({"keep_rows": "sum(n) > 2"}, "needs a scope in a row"),
    ],
)
def test_a_side_that_cannot_be_worked_out_is_reported_in_its_place(
    library: MakeLibrary, change: dict[str, Any], message: str
) -> None:
    document = render(report(matrix_of("sum(n)").but(**change)), library(SAILED))
    assert message in " ".join(finding.message for finding in document.findings)
    assert any(item["origin"]["row"] == "fault" for item in dumped(document)["pages"][0]["items"])
