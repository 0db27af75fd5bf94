"""Files of rows: exact numbers, each fault in one sentence, nothing but the named files within reach."""

import json
import re
import threading
import zipfile
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import QueryError
from northmoor.core.model.data.connections import Connections, DuckdbConnection, FilesConnection
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.files.type_detection import detect_type
from northmoor.core.sources.library import Library
from northmoor.core.sources.local import files_driver
from tests.helpers import fetched

MakeFiles = Callable[..., Library]


@pytest.fixture
def files(tmp_path: Path) -> MakeFiles:
    """Makes a library whose connection ``db`` is a folder with files of the given names and contents."""

    def make(contents: dict[str, str | bytes], **settings: Any) -> Library:
        folder = tmp_path / "data"
        folder.mkdir(exist_ok=True)
        for name, content in contents.items():
            (folder / name).write_bytes(content.encode() if isinstance(content, str) else content)
        return Library(tmp_path, Connections(connections=(FilesConnection(name="db", path="data", **settings),)))

    return make


def rows_of(library: Library, sql: str, **values: Any) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = fetched(library, sql, **values).table.to_pylist()
    return found


def catalog_of(library: Library) -> Catalog:
    return library.catalog("db", CancelToken())


def test_csv_columns_are_typed_from_all_their_values_and_decimals_are_exact(files: MakeFiles) -> None:
    text = "code;sold on;price;count;note\n007;2025-03-01;0.10;3;\n012;2025-03-02;1234567890.123;;'x;\"y\n"
    made = files({"Lines 1.csv": text.replace("'x;\"y", '"x;""y"')})
    rows = fetched(made, "select * from lines_1 where price < :most", most=Decimal(10**12))
    assert rows.table.to_pylist() == [
        {"code": "007", "sold on": date(2025, 3, 1), "price": Decimal("0.100"), "count": 3, "note": None},
        {"code": "012", "sold on": date(2025, 3, 2), "price": Decimal("1234567890.123"), "count": None, "note": 'x;"y'},
    ]
    assert [str(kind) for kind in rows.types] == ["text", "date", "decimal(18,3)", "integer", "text"]


def test_a_type_that_only_the_last_row_denies_is_denied(files: MakeFiles) -> None:
    lines = [*(str(n) for n in range(6000)), "n/a"]
    made = files({"n.csv": "n\n" + "\n".join(lines) + "\n"})
    rows = fetched(made, "select count(*) as c, max(n) as m from n")
    assert rows.table.to_pylist() == [{"c": 6001, "m": "n/a"}]
    places = [*(f"{n}.5" for n in range(6000)), "1.2345"]
    more = files({"p.csv": "p\n" + "\n".join(places) + "\n"})
    assert rows_of(more, "select sum(p) as s from p") == [{"s": sum(map(Decimal, places))}]


def test_numbers_in_two_decimal_styles_are_left_as_text_and_reported(files: MakeFiles) -> None:
    made = files({"t.csv": 'route,revenue\nTQ-SK,"1,234.50"\nTQ-IL,"2.345,75"\n'})
    rows = fetched(made, "select * from t")
    assert rows.table["revenue"].to_pylist() == ["1,234.50", "2.345,75"]
    assert "two decimal styles, such as 1,234.50 and 2.345,75" in rows.notes[0]
    comma = files({"t.csv": "route;revenue\nTQ-SK;1.234,50\nTQ-IL;99,1\n"})
    assert [r["revenue"] for r in rows_of(comma, "select revenue from t")] == [Decimal("1234.50"), Decimal("99.10")]


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (b"a,b\n1,2\n3,4,5\n", "t.csv is ragged: line 3 has 3 fields where its head has 2"),
        (b"a,b\n1,2\n3\n", "t.csv is ragged: line 3 has 1 fields where its head has 2"),
        ("a,b\n1,Sk\xe4r\n".encode("latin-1"), "t.csv is not in UTF-8 (line 2); set its encoding"),
        (b"", "t.csv is empty"),
        (b'a,b\n1,"open\n', "double quote is not closed"),
    ],
)  # fmt: skip
def test_a_faulty_csv_is_reported_with_its_line(files: MakeFiles, content: bytes, sentence: str) -> None:
    made = files({"t.csv": content, "good.csv": "x\n1\n"})
    with pytest.raises(QueryError) as caught:
        fetched(made, "select * from t")
    assert sentence in str(caught.value)
    assert "\n" not in caught.value.message
    assert rows_of(made, "select * from good") == [{"x": 1}]
    assert {t.name: bool(t.fault) for t in catalog_of(made).tables} == {"good": False, "t": True}


def test_other_encodings_are_read_when_the_connection_names_them(files: MakeFiles) -> None:
    made = files({"t.csv": "port\nSkårholm €\n".encode("windows-1252")}, encoding="windows-1252")
    assert rows_of(made, "select * from t") == [{"port": "Skårholm €"}]
    for wrong in ("klingon", "ascii"):
        with pytest.raises(QueryError, match="encoding"):
            fetched(files({"t.csv": "port\nSkårholm\n".encode("utf-16")}, encoding=wrong), "select * from t")


def test_a_file_that_changes_while_it_is_read_is_a_fault(files: MakeFiles, tmp_path: Path) -> None:
    made = files({"t.csv": "n\n" + "1\n" * 400_000})
    grown = threading.Event()

    def grow(_: str) -> None:
        if not grown.is_set():
            grown.set()
            with (tmp_path / "data" / "t.csv").open("a") as file:
                file.write("2\n" * 10)

    from northmoor.core.session import Session
    from tests.helpers import bind, report_of

    report = report_of(sql="select * from t")
    with pytest.raises(QueryError, match=r"t\.csv changed while it was read"):
        Session(made).rows(report, "rows", bind(report, {}), CancelToken(), grow)
    assert rows_of(made, "select sum(n) as s from t") == [{"s": 400_020}]


@given(st.lists(st.decimals(-(10**9), 10**9, places=3), min_size=1), st.sampled_from([".", ","]))
def test_decimals_in_either_style_read_as_they_were_written(values: list[Decimal], sign: str) -> None:
    written = [f"{value:f}".replace(".", sign) for value in values]
    reading = detect_type("x", written, sign)  # type: ignore[arg-type]
    assert reading.kind.kind == "decimal"
    assert reading.kind.scale == 3


def test_a_workbook_with_merged_heads_is_read_and_says_so(files: MakeFiles, tmp_path: Path) -> None:
    made = files({})
    book = xlsxwriter.Workbook(str(tmp_path / "data" / "Survey 2025.xlsx"))
    sheet = book.add_worksheet("Answers")
    sheet.write("A1", "Passenger survey")
    sheet.merge_range("A3:A4", "Route")
    sheet.merge_range("B3:C3", "2025")
    sheet.write_row("B4", ["Q1", "Q2"])
    sheet.write("D3", "Day")
    sheet.write_row("A5", ["TQ-SK", 4.25, 3])
    sheet.write_datetime("D5", datetime(2025, 1, 2), book.add_format({"num_format": "yyyy-mm-dd"}))
    sheet.write_row("A6", ["TQ-IL", 0.1])
    book.close()
    rows = fetched(made, "select * from survey_2025")
    assert rows.table.to_pylist() == [
        {"Route": "TQ-SK", "2025 Q1": Decimal("4.25"), "2025 Q2": 3, "Day": date(2025, 1, 2)},
        {"Route": "TQ-IL", "2025 Q1": Decimal("0.10"), "2025 Q2": None, "Day": None},
    ]
    assert any("spans 2 rows; they were joined" in note for note in rows.notes)
    assert any("2 rows above the head passed over" in note for note in rows.notes)


XSD = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
<xs:simpleType name="money"><xs:restriction base="xs:decimal"><xs:fractionDigits value="2"/></xs:restriction></xs:simpleType>
<xs:element name="dues"><xs:complexType><xs:sequence>
 <xs:element name="port" maxOccurs="unbounded"><xs:complexType><xs:sequence>
  <xs:element name="name" type="xs:string"/>
  <xs:element name="item" maxOccurs="unbounded"><xs:complexType>
   <xs:attribute name="code" type="xs:string"/><xs:attribute name="price" type="money"/></xs:complexType></xs:element>
 </xs:sequence></xs:complexType></xs:element>
</xs:sequence><xs:attribute name="valid" type="xs:date"/></xs:complexType></xs:element></xs:schema>"""
XML = """<dues valid="2025-01-01">
<port><name>Tarrow Quay</name><item code="001" price="4.5"/><item code="002" price="12"/></port>
<port><name>Skarholm</name><item code="003" price="7.25"/></port></dues>"""


def test_xml_becomes_tables_linked_by_keys_with_the_types_of_its_schema(files: MakeFiles) -> None:
    made = files({"dues.xml": XML, "dues.xsd": XSD})
    assert [t.name for t in catalog_of(made).tables] == ["dues", "dues_port", "dues_port_item"]
    rows = fetched(
        made, "select p.name, i.code, i.price from dues_port p join dues_port_item i using (port_key) order by i.code"
    )
    assert [tuple(r.values()) for r in rows.table.to_pylist()] == [
        ("Tarrow Quay", "001", Decimal("4.50")), ("Tarrow Quay", "002", Decimal("12.00")), ("Skarholm", "003", Decimal("7.25")),
    ]  # fmt: skip
    assert str(rows.types[2]) == "decimal(18,2)"
    item = catalog_of(made).table("dues_port_item")
    assert [k.table for k in item.keys] == ["dues_port"]


PORTS = (
    '{"ports": [{"port_id": 1, "name": "Tarrow Quay", "dues": 7.25}, {"port_id": 2, "name": "Inverlang", "dues": 0.1}]}'
)
PORTS_SCHEMA = """{"type": "object", "properties": {"ports": {"type": "array", "items": {"type": "object",
"required": ["port_id", "name"], "properties": {"port_id": {"type": "integer"}, "dues": {"type": "number", "maximum": 10}}}}}}"""


def test_json_follows_the_schema_beside_it(files: MakeFiles) -> None:
    made = files({"ports.json": PORTS, "ports.schema.json": PORTS_SCHEMA})
    (name,) = [table.name for table in made.catalog("db", CancelToken()).tables if "schema" not in table.name]
    assert fetched(made, f"select sum(dues) as dues from {name}").table["dues"].to_pylist() == [Decimal("7.35")]
    named = files({"dues.json": PORTS.replace("{", '{"$schema": "agreed.json", ', 1), "agreed.json": PORTS_SCHEMA})
    assert fetched(named, "select count(*) as n from dues_ports").table["n"].to_pylist() == [2]


@pytest.mark.parametrize(
    ("json", "schema", "message"),
    [
        (PORTS.replace("7.25", '"seven"'), PORTS_SCHEMA, r"ports\.schema\.json: /ports/0/dues: 'seven' is not of type 'number'"),
        (PORTS.replace('"name": ', '"called": '), PORTS_SCHEMA, r"/ports/0: 'name' is a required property\. 1 more faults"),
        (PORTS, "{", r"The schema ports\.schema\.json of ports\.json cannot be read"),
        (PORTS, '{"type": 5}', "cannot be read"),
        (PORTS, '{"$ref": "https://tarrow.example/ports.json"}', "cannot be read"),
        (PORTS, '{"$ref": "file:///etc/passwd"}', "cannot be read"),
    ],
)  # fmt: skip
def test_json_that_does_not_follow_its_schema_is_refused(
    files: MakeFiles, json: str, schema: str, message: str
) -> None:
    made = files({"ports.json": json, "ports.schema.json": schema})
    with pytest.raises(QueryError, match=message):
        fetched(made, "select * from ports")


def test_each_line_of_json_follows_the_schema(files: MakeFiles) -> None:
    schema = '{"type": "object", "properties": {"port_id": {"type": "integer"}}}'
    made = files({"ports.jsonl": '{"port_id": 1}\n{"port_id": 2}\n', "ports.schema.json": schema})
    assert fetched(made, "select sum(port_id) as n from ports").table["n"].to_pylist() == [3]
    made = files({"ports.jsonl": '{"port_id": 1}\n{"port_id": "x"}\n', "ports.schema.json": schema})
    with pytest.raises(QueryError, match="/port_id: 'x' is not of type 'integer'"):
        fetched(made, "select * from ports")


def test_xml_against_its_schema_is_reported_with_its_line(files: MakeFiles) -> None:
    made = files({"dues.xml": XML.replace("7.25", "seven"), "dues.xsd": XSD})
    with pytest.raises(QueryError, match=r"dues\.xml does not follow dues\.xsd: line 3"):
        fetched(made, "select * from dues_port")


def test_xml_reaches_no_other_file(files: MakeFiles, tmp_path: Path) -> None:
    (tmp_path / "secret.txt").write_text("treasure")
    entity = f'<!DOCTYPE d [<!ENTITY x SYSTEM "file://{tmp_path}/secret.txt">]><d><r><a>&x;</a></r><r><a>1</a></r></d>'
    bomb = '<!DOCTYPE d [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><d><r><a>&b;</a></r></d>'
    include = XSD.replace("<xs:simpleType", '<xs:include schemaLocation="../secret.txt"/><xs:simpleType', 1)
    made = files({"entity.xml": entity, "bomb.xml": bomb, "dues.xml": XML, "dues.xsd": include})
    for table in ("entity", "bomb", "dues"):
        try:
            assert "treasure" not in str(rows_of(made, f"select * from {table}"))
        except QueryError as error:
            assert "treasure" not in str(error)
    with pytest.raises(QueryError, match="takes in other files"):
        fetched(made, "select * from dues")


def test_json_becomes_tables_and_its_numbers_stay_exact(files: MakeFiles) -> None:
    berths = [
        {
            "berth": "A1",
            "length": 84.5,
            "open": True,
            "depth": {"low": 4.10, "high": 9},
            "vessels": ["Curlew", "Dunlin"],
        },
        {"berth": "A2", "length": 100, "open": False, "depth": {"low": 3.05, "high": 8}, "vessels": []},
    ]
    made = files({"berths.json": json.dumps(berths), "log.jsonl": '{"n": 1}\n{"n": 12345678901234567890.5}\n'})
    rows = rows_of(made, "select berth, length, open, depth_low, depth_high from berths order by berth")
    assert rows[0] == {
        "berth": "A1",
        "length": Decimal("84.5"),
        "open": True,
        "depth_low": Decimal("4.10"),
        "depth_high": 9,
    }
    assert rows_of(
        made, "select value from berths_vessels join berths using (berths_key) where berth = 'A1' order by 1"
    ) == [{"value": "Curlew"}, {"value": "Dunlin"}]
    assert rows_of(made, "select max(n) as n from log") == [{"n": Decimal("12345678901234567890.5")}]
    with pytest.raises(QueryError, match=r"bad\.json is no sound JSON: .* in line 1"):
        fetched(files({"bad.json": '[{"a": 1},\n oops]'}), "select * from bad")


@pytest.mark.parametrize(
    ("text", "odd"),
    [("2024-01-01 47:00:00", "2024-01-01 47:00:00"), ("2024-02-30", "2024-02-30"), ("30.2.2024", "30.2.2024"),
     ("2024-13-01T10:00Z", "2024-13-01T10:00Z")],
)  # fmt: skip
def test_a_day_that_there_is_not_leaves_its_column_as_text_and_is_reported(
    files: MakeFiles, text: str, odd: str
) -> None:
    """In place of a missing value, which would say that none was given."""
    first = (
        "1.1.2024" if text.startswith("30.") else text.replace("47", "10").replace("30", "20").replace("-13-", "-12-")
    )
    library = files({"a.csv": f"n,at\n1,{first}\n2,{text}\n", "b.json": json.dumps([{"at": first}, {"at": text}])})
    for table in "ab":
        rows = fetched(library, f'select "at" from {table}')
        assert rows.table.column("at").to_pylist() == [first, text]
        assert any(note.endswith(f"Column at is left as text: there is no {odd}.") for note in rows.notes)


def test_what_is_not_what_its_schema_says_is_left_as_text_and_reported(files: MakeFiles) -> None:
    schema = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="rows"><xs:complexType><xs:sequence>
    <xs:element name="row" maxOccurs="unbounded"><xs:complexType><xs:sequence><xs:element name="day" type="xs:date"/>
    </xs:sequence></xs:complexType></xs:element></xs:sequence></xs:complexType></xs:element></xs:schema>"""
    rows = fetched(files({"a.xsd": schema, "a.xml": "<rows><row><day>2024-01-01</day></row><row><day>12024-01-01</day></row></rows>"}),
                   "select * from a")  # fmt: skip
    assert rows.table.column("day").to_pylist() == ["2024-01-01", "12024-01-01"]
    assert "its schema says date, which 12024-01-01 is not" in " ".join(rows.notes)


def test_names_that_are_no_text_are_a_sentence(files: MakeFiles, tmp_path: Path) -> None:
    library = files({"a.csv": "n\n1\n"})
    written = tmp_path / "data" / "odd.parquet"
    pq.write_table(pa.table({"freight": [1]}), written, store_schema=False)
    written.write_bytes(written.read_bytes().replace(b"freight", b"fr\xff\xffght"))
    with pytest.raises(QueryError, match=r"odd\.parquet cannot be read as Parquet \(a name in it is no text"):
        fetched(library, "select * from odd")


def test_parquet_and_duckdb_keep_their_types(files: MakeFiles, tmp_path: Path) -> None:
    made = files({})
    table = pa.table(
        {
            "d": pa.array([Decimal("1.10"), None], pa.decimal128(20, 2)),
            "at": pa.array([0, 1], pa.timestamp("us", "UTC")),
        }
    )
    pq.write_table(table, tmp_path / "data" / "h.parquet")
    rows = fetched(made, "select * from h")
    assert rows.table.to_pylist() == [
        {"d": Decimal("1.10"), "at": datetime(1970, 1, 1, 1)},
        {"d": None, "at": datetime(1970, 1, 1, 1, 0, 0, 1)},
    ]
    database = tmp_path / "marts.duckdb"
    with duckdb.connect(str(database)) as connection:
        connection.execute("create table ports (port_id integer primary key, name varchar)")
        connection.execute("create table visits (port_id integer references ports, fee decimal(9,2))")
        connection.execute("insert into ports values (1, 'Oxholm'); insert into visits values (1, 12.5), (1, 0.25)")
        connection.execute("comment on table visits is 'Ships at quays'; comment on column visits.fee is 'Dues'")
        connection.execute("create macro fees_above(low) as table select * from visits where fee > low")
    library = Library(tmp_path, Connections(connections=(DuckdbConnection(name="db", database="marts.duckdb"),)))
    assert rows_of(library, "select name, sum(fee) as fees from visits join ports using (port_id) group by name") == [
        {"name": "Oxholm", "fees": Decimal("12.75")}
    ]
    assert rows_of(library, "select fee from fees_above(:low)", low=1) == [{"fee": Decimal("12.50")}]
    catalog = catalog_of(library)
    assert catalog.table("visits").keys[0].table == "ports"
    assert (catalog.table("visits").comment, catalog.table("visits").columns[1].comment) == ("Ships at quays", "Dues")
    assert [r.name for r in catalog.routines] == ["fees_above"]


@pytest.mark.parametrize(
    "sql",
    [
        "select * from read_csv('/etc/passwd')", "select * from '/etc/passwd'", "select * from glob('/*')",
        "copy t to '/tmp/stolen.csv'", "attach '/tmp/x.db'", "select * from t, read_text('/etc/hostname')", "install httpfs",
        "set enable_external_access = true", "select * from query('select 1')", "pragma database_list",
    ],
)  # fmt: skip
def test_a_query_over_files_reaches_nothing_else(files: MakeFiles, sql: str) -> None:
    with pytest.raises(QueryError):
        fetched(files({"t.csv": "a\n1\n"}), sql)


ODS = """<?xml version="1.0"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"
 office:version="1.2"><office:body><office:spreadsheet><table:table table:name="Dues">
 <table:table-row><table:table-cell office:value-type="string"><text:p>port</text:p></table:table-cell>
  <table:table-cell office:value-type="string"><text:p>price</text:p></table:table-cell></table:table-row>
 <table:table-row><table:table-cell office:value-type="string"><text:p>Oxholm</text:p></table:table-cell>
  <table:table-cell office:value-type="float" office:value="4.25"><text:p>4.25</text:p></table:table-cell></table:table-row>
 </table:table></office:spreadsheet></office:body></office:document-content>"""
MANIFEST = """<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">
<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>
<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>"""


def test_open_documents_and_tabbed_files_are_read_too(files: MakeFiles, tmp_path: Path) -> None:
    made = files({"dues.tsv": "port\tprice\nSule Haven\t1.5\n"})
    with zipfile.ZipFile(tmp_path / "data" / "dues.ods", "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", re.sub(r">\s+<", "><", ODS))
        book.writestr("META-INF/manifest.xml", MANIFEST)
    assert [t.name for t in catalog_of(made).tables] == ["dues_ods", "dues_tsv"]
    both = rows_of(made, "select * from dues_ods union all select * from dues_tsv order by price")
    assert both == [{"port": "Sule Haven", "price": Decimal("1.50")}, {"port": "Oxholm", "price": Decimal("4.25")}]
    (tmp_path / "data" / "broken.xlsx").write_bytes(b"PK no workbook")
    with pytest.raises(QueryError, match=r"broken\.xlsx cannot be read as a workbook"):
        fetched(made, "select * from broken")
    with pytest.raises(QueryError, match="There is no table due among the files"):
        fetched(made, "select * from due")


def test_a_file_is_read_again_only_when_it_has_changed(
    files: MakeFiles, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = files({"t.csv": "n\n1\n"})
    read: list[Path] = []
    real = files_driver.delimited_table
    monkeypatch.setattr(files_driver, "delimited_table", lambda path, *rest: read.append(path) or real(path, *rest))
    for _ in range(3):
        assert rows_of(made, "select sum(n) as s from t") == [{"s": 1}]
    assert len(read) == 1
    (tmp_path / "data" / "t.csv").write_text("n\n1\n2.5\n")
    assert rows_of(made, "select sum(n) as s from t") == [{"s": Decimal("3.5")}]
    assert len(read) == 2


def test_a_value_that_comes_after_the_types_were_seen_is_not_lost_silently(
    files: MakeFiles, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = files({"t.csv": "n\n1\n"})
    real = files_driver.delimited_table

    def then_grow(path: Path, *rest: Any) -> Any:
        table = real(path, *rest)
        path.write_text("n\n1\nmany\n")
        return table

    monkeypatch.setattr(files_driver, "delimited_table", then_grow)
    with pytest.raises(QueryError, match=r"t\.csv changed while it was read"):
        fetched(made, "select * from t")
    monkeypatch.setattr(files_driver, "delimited_table", real)
    assert rows_of(made, "select * from t") == [{"n": "1"}, {"n": "many"}]
