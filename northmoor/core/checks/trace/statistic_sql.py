"""Statistics of signals in plain SQL, over the readings as they were written: a second way that shares nothing with how
they are computed."""

from collections.abc import Mapping

from northmoor.core.model.data.signal_logs import MICROSECONDS_PER
from northmoor.core.model.data.signal_queries import StatisticColumn
from northmoor.core.sources.signals.pieces import Pieces

_READINGS = """\
with readings as (
  select written, value, lead(written) over (order by written) as next_written,
    lead(value) over (order by written) as next_value, lag(written) over (order by written) as last_written,
    lag(value) over (order by written) as last_value
  from log
), counted as (
  select *, greatest(written, {start}) as since,
    case when {breaks} then written else least(coalesce(next_written, {bound}), {end}{hold}) end as until
  from readings where value is not null and written < {end}
), pieces as (
  select written, since, until, until - since as lasted, {head} as head, {tail} as tail
  from counted where until > since{or_at}
), changes as (
  select {crossed} as moment, last_value, value
  from readings where last_value is not null and value is not null{follows}
)
select ({figure}) as figure,
  (select count(*) from readings where value is not null and written >= {start} and written < {end}) as readings
"""
_ALONG = "coalesce(value + (next_value - value) * ({} - written) / (next_written - written), value)"
"""The value of a line at a time between two readings."""
_CROSSED = "last_written + ({limit} - last_value) / nullif(value - last_value, 0) * (written - last_written)"
_SHARE_ABOVE = (
    "case when head = tail then case when head {sign} {limit} then 1 else 0 end "
    "else greatest(0, least(1, ({end}(head, tail) - {limit}) / ({end}(head, tail) - {other}(head, tail)))) end"
)
"""The share of a piece for which it is above a limit; for below, with the ends exchanged."""
_COUNTED = (
    "select case when exists (from pieces) or exists (from readings where written >= {start} and written < {end}) "
    "then count(*) end from changes where {within} and "
)
_BEYOND = "select case when sum(lasted) > 0 then sum(({share}) * lasted) / 1e6 end from pieces"
_EXTREME_AT = (
    "select min(case when head = best then since else until end) "
    "from pieces, (select {best}({ends}(head, tail)) as best from pieces) where {ends}(head, tail) = best"
)
_ON_OF_KNOWN = (
    "select case when sum(lasted) > 0 then coalesce(sum(lasted) filter (where head = {on}), 0) {unit} end from pieces"
)
_PLAIN: Mapping[str, str] = {
    "first": "select min_by(head, since) from pieces",
    "last": "select max_by(tail, since) from pieces",
    "first_text": "select min_by(head, since) from pieces",
    "last_text": "select max_by(tail, since) from pieces",
    "min": "select min(least(head, tail)) from pieces",
    "min_at": _EXTREME_AT.format(best="min", ends="least"),
    "max": "select max(greatest(head, tail)) from pieces",
    "max_at": _EXTREME_AT.format(best="max", ends="greatest"),
    "mean": "select sum((head + tail) / 2 * lasted) / nullif(sum(lasted), 0) from pieces",
    "reading_mean": "select avg(value) from readings where written >= {start} and written < {end}",
    "deviation": """\
select sqrt(sum(((head - mean) ** 2 + (head - mean) * (tail - mean) + (tail - mean) ** 2) / 3 * lasted) / sum(lasted))
  from pieces, (select sum((head + tail) / 2 * lasted) / nullif(sum(lasted), 0) as mean from pieces)""",
    "total": "select case when sum(lasted) > 0 then sum((head + tail) / 2 * lasted) / {per} end from pieces",
    "change": "select max_by(tail, since) - min_by(head, since) from pieces",
    "readings": "select count(*) from readings where value is not null and written >= {start} and written < {end}",
    "known": "select coalesce(sum(lasted), 0) / cast({end} - {start} as double) from pieces",
    "times_on": _COUNTED + "value = 1 and last_value = 0",
    "times_off": _COUNTED + "value = 0 and last_value = 1",
    "time_on": _ON_OF_KNOWN.format(on=1, unit="/ 1e6"),
    "time_off": _ON_OF_KNOWN.format(on=0, unit="/ 1e6"),
    "share_on": _ON_OF_KNOWN.format(on=1, unit="/ sum(lasted)"),
    "longest_on": """\
with runs as (
  select *, sum(case when head = 1 and before = 1 and ended = since then 0 else 1 end) over (order by since) as run
  from (select *, lag(head) over (order by since) as before, lag(until) over (order by since) as ended from pieces)
)
select case when (select sum(lasted) from pieces) > 0 then coalesce(max(lasted), 0) / 1e6 end
  from (select sum(lasted) as lasted from runs where head = 1 group by run)""",
    "between_starts": """\
select case when count(*) > 1 then round((max(moment) - min(moment)) / (count(*) - 1)) / 1e6 end
  from changes where value = 1 and last_value = 0 and {within}""",
    "time_above": _BEYOND.format(share=_SHARE_ABOVE.format(sign=">", end="greatest", other="least", limit="{limit}")),
    "time_below": _BEYOND.format(share=_SHARE_ABOVE.format(sign="<", end="least", other="greatest", limit="{limit}")),
    "times_above": _COUNTED + "last_value <= {limit} and value > {limit}",
    "times_below": _COUNTED + "last_value >= {limit} and value < {limit}",
    "percentile": """\
with points as (select distinct unnest([head, tail]) as point from pieces where lasted > 0), reached as (
  select point, sum(lasted * case when head = tail then cast(head < point as double)
      else greatest(0, least(1, (point - least(head, tail)) / abs(head - tail))) end) as before,
    sum(lasted * case when head = tail then cast(head <= point as double)
      else greatest(0, least(1, (point - least(head, tail)) / abs(head - tail))) end) as up_to
  from points, pieces group by point
), placed as (
  select *, lag(point) over (order by point) as last_point, lag(up_to) over (order by point) as last_up_to,
    {share} * (select sum(lasted) from pieces) as wanted
  from reached
)
select case when last_point is null or wanted >= before or before <= last_up_to then point
    else last_point + (wanted - last_up_to) / (before - last_up_to) * (point - last_point) end
  from placed where up_to >= wanted * (1 - 1e-12) order by point limit 1""",
}  # fmt: skip
_GROWN = """\
select case when count(*) > 0 then coalesce(sum(case when head < before then head else head - before end), 0) end
  from (select head, lag(head) over (order by since) as before from pieces)"""
"""The change of a counter, which begins again from zero where it is less than before."""
_AT_ONCE = ("min", "min_at", "max", "max_at", "first", "last", "first_text", "last_text", "change")
"""Statistics for which a reading counts that holds for no time at all."""


def statistic_sql(wanted: StatisticColumn, pieces: Pieces, hold: int | None) -> str:
    """The SQL for a statistic over a window's readings, which are in a table ``log`` with the columns ``written`` and
    ``value``; for times on and off, value is whether each is on. `hold` is how long a value holds at most."""
    series = pieces.series
    start, end = int(pieces.windows.start[0]), int(pieces.windows.end[0])
    bound = int(series.until[-1]) if len(series.until) else end
    is_line = series.is_linear and wanted.kind.wants != "state"
    gap = f" or next_written - written > {hold}" if hold is not None else ""
    limited = wanted.kind.wants == "limit"
    figure = _GROWN if wanted.statistic == "change" and series.signal.kind.restarts else _PLAIN[wanted.statistic]
    given: dict[str, object] = {
        "start": start, "end": end, "bound": bound, "hold": f", written + {hold}" if hold is not None else "",
        # no line goes to a reading of which nothing is known, nor over a gap
        "breaks": f"next_written is not null and (next_value is null{gap})" if series.is_linear else "false",
        "head": _ALONG.format("since") if is_line else "value", "tail": _ALONG.format("until") if is_line else "value",
        "or_at": " or written = since" if wanted.statistic in _AT_ONCE else "",
        "follows": f" and written - last_written <= {hold}" if hold is not None else "",
        "crossed": _CROSSED if is_line and limited else "written", "within": f"moment >= {start} and moment < {end}",
        "limit": wanted.limit, "share": wanted.share, "per": MICROSECONDS_PER[series.signal.per],
    }  # fmt: skip
    given["crossed"] = str(given["crossed"]).format(**given)
    return _READINGS.format(**given | {"figure": figure.format(**given)})
