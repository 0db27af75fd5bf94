"""Numbers of any length: exact where 38 digits hold them, else rounded by a stated rule and noted; never 0, never text."""

import sqlite3
from decimal import ROUND_HALF_EVEN, Context, Decimal
from pathlib import Path

import duckdb
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.engine.arrow_types import concat_chunks, untyped_array
from northmoor.core.engine.rows import Rows
from northmoor.core.model.data.connections import (
    Connection,
    Connections,
    DuckdbConnection,
    FilesConnection,
    SqliteConnection,
)
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.library import Library
from northmoor.core.sources.typing.coercion import CoercionError, coerce
from northmoor.core.sources.typing.decimals import FittedDecimals, fit_decimals
from tests.core.test_coercion import DUBLIN
from tests.helpers import fetched
from tests.servers import Server

EXACT = Context(prec=500, rounding=ROUND_HALF_EVEN)
LONG = st.builds(
    lambda digits, places, sign: Decimal(sign * digits).scaleb(-places, EXACT),
    st.integers(0, 10**76) | st.integers(0, 10**6) | st.sampled_from([10**38 - 1, 10**38, 10**37 - 1, 10**39]),
    st.integers(0, 60),
    st.sampled_from([1, -1]),
)
WIDE = ["1e39", "0.000000000000000000000000000000000000000000001", "-12345678901234567890.5", "0.125"]


def is_as_said(values: list[Decimal | None], fitted: FittedDecimals) -> bool:
    """Whether numbers became what the rule says, and a note tells of any that are not themselves."""
    made = fitted.values.to_pylist()
    kind = fitted.values.type
    if pa.types.is_floating(kind):
        return bool(fitted.note) and made == [None if v is None else float(v) for v in values]
    step = Decimal(1).scaleb(-kind.scale)
    wanted = [None if v is None else v.quantize(step, context=EXACT) for v in values]
    return made == wanted and bool(fitted.note) == (made != values) and kind.precision <= 38


@given(st.lists(LONG | st.none(), min_size=1, max_size=12), st.booleans())
def test_numbers_of_any_length_are_exact_or_rounded_by_the_rule(values: list, is_scientific: bool) -> None:
    texts = [None if v is None else str(v) if is_scientific else f"{v:f}" for v in values]
    fitted = fit_decimals(pa.array(texts, pa.string()))
    assert is_as_said(values, fitted)
    whole = max((v.adjusted() + 1 for v in values if v), default=0)
    assert pa.types.is_floating(fitted.values.type) == (whole > 38)
    if not pa.types.is_floating(fitted.values.type) and fitted.note:
        assert fitted.values.type.scale >= 37 - max(whole, 0)  # as many places as there is room for


@given(st.lists(LONG, min_size=1, max_size=12))
def test_numbers_of_python_are_held_as_numbers(values: list) -> None:
    mixed = [int(v) if v == v.to_integral_value() else v for v in values]
    raw = concat_chunks([untyped_array(mixed)])
    assert not pa.types.is_string(raw.type)
    if pa.types.is_decimal(raw.type):
        assert is_as_said(values, fit_decimals(raw))


@given(LONG, st.integers(1, 38), st.data())
def test_a_declared_decimal_takes_a_number_exactly_or_refuses_it(number: Decimal, precision: int, data) -> None:
    scale = data.draw(st.integers(0, precision))
    fits = number == number.quantize(Decimal(1).scaleb(-scale), context=EXACT) and (
        not number or number.adjusted() < precision - scale
    )
    raw, kind = pa.array([f"{number:f}"]), ValueType("decimal", precision, scale)
    if fits:
        assert coerce(raw, kind, DUBLIN).to_pylist() == [number]
    else:
        with pytest.raises(CoercionError):
            coerce(raw, kind, DUBLIN)


@pytest.mark.parametrize("text", ["9" * 38 + ".9", "9" * 37 + ".99", "0." + "9" * 39, "9" * 20 + "." + "9" * 30])
def test_a_number_that_grows_by_a_digit_when_it_is_rounded_follows_the_rule_too(text: str) -> None:
    for number in (Decimal(text), -Decimal(text)):
        assert is_as_said([number, None], fit_decimals(pa.array([str(number), None])))


def test_what_is_no_number_is_missing_and_noted() -> None:
    fitted = fit_decimals(pa.array(["1.50", None, "NaN", "-Infinity"]))
    assert fitted.values.to_pylist() == [Decimal("1.50"), None, None, None]
    assert "such as NaN in row 3" in fitted.note
    with pytest.raises(CoercionError) as caught:
        fit_decimals(pa.array(["1", "one"]))
    assert caught.value.row == 1


def numbers_of(rows: Rows) -> list:
    assert rows.types[0].kind in ("decimal", "float", "integer"), rows.types
    return rows.table.column(0).to_pylist()


@pytest.mark.xdist_group("servers")
def test_servers_numbers_are_held_whatever_their_length(server: Server, tmp_path: Path) -> None:
    db = server.library(tmp_path)
    long = "cast('12345678901234567890.123456789012345678901234567' as decimal(47,27))"
    rows = fetched(db, f"select {long} as v union all select -0.5 order by 1")
    assert numbers_of(rows) == [Decimal("-0.5"), Decimal("12345678901234567890.123456789012345679")]
    assert rows.notes[-1] == "Column v has numbers with more than 38 digits; they are rounded to 18 places."
    rows = fetched(db, "select cast('1000000000000000000000000000000000000000' as decimal(65,0)) as v")
    assert numbers_of(rows) == [1e39]
    assert "more than 38 digits" in rows.notes[-1]


@pytest.mark.xdist_group("servers")
def test_averages_of_averages_keep_their_digits(postgresql: Server, tmp_path: Path) -> None:
    db = postgresql.library(tmp_path)
    rows = fetched(db, "select avg(x) * avg(y) as v from (values (1.37, 2.44), (3.11, 9.7), (5.0, 1.01)) as t(x, y)")
    assert numbers_of(rows) == [Decimal("13.851333333333333228")]
    rows = fetched(db, "select (10::numeric ^ 37 - 1) as v, 1e-45::numeric as small, 'NaN'::numeric as none")
    assert rows.table.to_pylist() == [{"v": Decimal(10**37 - 1), "small": Decimal(0), "none": None}]
    assert [note.split(" has ")[0] for note in rows.notes] == ["Column small", "Column none"]


def test_files_and_embedded_databases_numbers_are_held_whatever_their_length(tmp_path: Path) -> None:
    (tmp_path / "long.csv").write_text("v\n" + "\n".join(f"{Decimal(text):f}" for text in WIDE) + "\n")
    (tmp_path / "deep.json").write_text('[{"v": 12.3456789012345678901234567890123456789012}]')
    with sqlite3.connect(tmp_path / "db.sqlite") as made:
        made.execute("create table long (v numeric)")
        made.executemany("insert into long values (?)", [("1" + "0" * 30,), (1,)])
    with duckdb.connect(tmp_path / "db.duckdb") as engine:
        engine.execute("create table long as select 340282366920938463463374607431768211455::uhugeint as v")

    def asked(connection: Connection, table: str) -> Rows:
        return fetched(Library(tmp_path, Connections(connections=(connection,))), f"select v from {table} order by v")

    files = FilesConnection(name="db", path=".")
    rows = asked(files, "long")
    assert numbers_of(rows) == sorted(float(text) for text in WIDE)
    assert "more than 38 digits" in rows.notes[0]
    rows = asked(files, "deep")
    assert numbers_of(rows) == [Decimal("12.345678901234567890123456789012345679")]
    assert "rounded to 36 places" in rows.notes[0]
    assert numbers_of(asked(SqliteConnection(name="db", database="db.sqlite"), "long")) == [1, 1e30]
    assert numbers_of(asked(DuckdbConnection(name="db", database="db.duckdb"), "long")) == [float(2**128 - 1)]
