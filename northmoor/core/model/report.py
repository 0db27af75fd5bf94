"""The report: its data, its styles, and one or more editions (layouts over the same data)."""

from typing import Annotated
from zoneinfo import ZoneInfo

from babel import Locale, UnknownLocaleError
from pydantic import Field, field_validator, model_validator

from northmoor.core.base.time_zones import known_time_zones
from northmoor.core.model.base import Name, Part, unique_names
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX, FormatName
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.pages import PageSetup, Running, Watermark
from northmoor.core.model.parameters import NamedValue, Parameter, ValueSet
from northmoor.core.model.styles import NamedStyle, ResolvedStyle, Style, style_chain, with_overrides

REPORT_VERSION = 1
"""Version of the report file's form."""


class Edition(Part):
    """One layout of the report's data."""

    name: Name
    """Its name."""
    title: str | None = None
    """Title of its pages; without one, the report's."""
    hidden: bool = False
    """Whether it is left out where readers choose; it can still be named, or chosen by a parameter."""
    formats: Annotated[tuple[FormatName, ...], Field(min_length=1)] = tuple(FORMAT_OF_SUFFIX)
    """The formats it is delivered in; the first is that of a file whose format is not said."""
    output: OutputOptions = OutputOptions()
    """How its files are made, where a format leaves a choice."""
    page: PageSetup = PageSetup()
    """Paper and margins."""
    header: Running | None = None
    """At the top of every page."""
    footer: Running | None = None
    """At the foot of every page."""
    watermark: Watermark | None = None
    """Behind what is on the pages."""
    blocks: tuple[Block, ...] = ()
    """What flows down the pages, in order."""

    @model_validator(mode="after")
    def _block_names_are_unique(self) -> "Edition":
        unique_names([block.name for block in walk(self.blocks)], "block")
        unique_names(list(self.formats), "format")
        return self

    @model_validator(mode="after")
    def _charts_know_their_groups(self) -> "Edition":
        for chart in (block for block in walk(self.blocks) if isinstance(block, ChartBlock)):
            for level in chart.levels:
                if level.level is not None and not self._has_level(chart.groups_of, level.level):
                    raise ValueError(f"{chart.name!r} takes its {level.name} from {level.level!r}, a level that"
                                     f" {chart.groups_of!r} does not have")  # fmt: skip
            if chart.groups_of not in (None, *self._grouped):
                raise ValueError(f"{chart.name!r} draws the groups of {chart.groups_of!r}, which is no table or matrix")
        return self

    @property
    def _grouped(self) -> dict[str, TableBlock | MatrixBlock]:
        return {block.name: block for block in walk(self.blocks) if isinstance(block, TableBlock | MatrixBlock)}

    def _has_level(self, block: str | None, level: str) -> bool:
        try:
            return bool(self._grouped[block or ""].level(level))
        except KeyError:
            return False

    @property
    def tables(self) -> tuple[TableBlock, ...]:
        """The tables among its blocks."""
        return tuple(block for block in walk(self.blocks) if isinstance(block, TableBlock))

    @property
    def data_blocks(self) -> tuple[DataBlock, ...]:
        """Its blocks over the rows of queries."""
        return tuple(block for block in walk(self.blocks) if isinstance(block, DataBlock))

    @property
    def queries(self) -> frozenset[str]:
        """The queries whose rows its blocks show."""
        return frozenset(b.query for b in walk(self.blocks) if isinstance(b, DataBlock | ForEachBlock))

    def table(self, name: str) -> TableBlock:
        """The table of that name."""
        return next(table for table in self.tables if table.name == name)


class Report(Part):
    """A report, as a .moor file holds it."""

    northmoor_report: Annotated[int, Field(ge=1, le=REPORT_VERSION)] = REPORT_VERSION
    """Version of the file's form."""
    title: str = "Untitled report"
    """What readers see as its name."""
    author: Annotated[str, Field(max_length=200)] = ""
    """Who it is by: a property of the files that are delivered."""
    subject: Annotated[str, Field(max_length=500)] = ""
    """What it is about, in a sentence: a property of the files."""
    keywords: Annotated[str, Field(max_length=500)] = ""
    """Words it is found by, with commas between them: a property of the files."""
    locale: str = "en_IE"
    """CLDR locale for numbers, dates and words, whatever machine it runs on."""
    currency: Annotated[str, Field(pattern="^[A-Z]{3}$")] = "EUR"
    """ISO 4217 code of its money."""
    time_zone: str = "Europe/Dublin"
    """IANA time zone of its timestamps."""
    parameters: tuple[Parameter, ...] = ()
    """Values that are entered when it is run."""
    named_values: tuple[NamedValue, ...] = ()
    """Values computed from those."""
    value_sets: tuple[ValueSet, ...] = ()
    """Values that can be recalled by a name."""
    queries: tuple[Query, ...] = ()
    """Where its rows come from."""
    styles: tuple[NamedStyle, ...] = ()
    """Named looks."""
    editions: Annotated[tuple[Edition, ...], Field(min_length=1)]
    """Its layouts; the first is the one shown when none is named."""
    shown_edition: str | None = None
    """Expression whose value is the name of the edition to show when none is asked for, such as :layout."""

    @field_validator("locale")
    @classmethod
    def _locale_is_known(cls, value: str) -> str:
        try:
            Locale.parse(value)
        except (UnknownLocaleError, ValueError) as error:
            raise ValueError(f"{value!r} is no locale of CLDR; write for example en_IE or de_DE") from error
        return value

    @field_validator("time_zone")
    @classmethod
    def _time_zone_is_known(cls, value: str) -> str:
        if value not in known_time_zones():
            raise ValueError(f"{value!r} is no IANA time zone; write for example Europe/Dublin")
        return value

    @model_validator(mode="after")
    def _names_hold_together(self) -> "Report":
        unique_names([p.name for p in self.parameters], "parameter")
        unique_names([*(p.name for p in self.parameters), *(v.name for v in self.named_values)], "value")
        unique_names(list(self.value_names), "value")
        unique_names([s.name for s in self.value_sets], "value set")
        unique_names([q.name for q in self.queries], "query")
        unique_names([e.name for e in self.editions], "edition")
        unique_names([s.name for s in self.styles], "style")
        _styles_lead_to_a_root(self.styles)
        known_styles = {s.name for s in self.styles}
        known_queries = {q.name for q in self.queries}
        _details_lead_to_a_root(self.queries)
        for edition in self.editions:
            for used in _styles_used(edition):
                if used not in known_styles:
                    raise ValueError(f"edition {edition.name!r} uses the style {used!r}, which is not defined")
            for block in walk(edition.blocks):
                if isinstance(block, DataBlock | ForEachBlock) and block.query not in known_queries:
                    what = f"{block.kind} {block.name!r} uses the query {block.query!r}"
                    raise ValueError(f"{what}, which is not defined")
        return self

    @property
    def value_names(self) -> tuple[str, ...]:
        """All names of values in queries and expressions."""
        asked = [name for parameter in self.parameters for name in parameter.names]
        return (*asked, *(computed.name for computed in self.named_values))

    def parameter(self, name: str) -> Parameter:
        """The parameter of that name."""
        return next(p for p in self.parameters if p.name == name)

    def query(self, name: str) -> Query:
        """The query of that name."""
        return next(q for q in self.queries if q.name == name)

    def edition(self, name: str | None = None) -> Edition | None:
        """The edition of that name, or the first when no name is given; None when there is none such."""
        if name is None:
            return self.editions[0]
        return next((e for e in self.editions if e.name == name), None)

    def look(self, base: ResolvedStyle, style: str | None, own: Style | None = None) -> ResolvedStyle:
        """The base under a style of the report and its own changes."""
        return with_overrides(base, *style_chain(self.styles, style), own)

    @property
    def zone(self) -> ZoneInfo:
        """Its time zone."""
        return ZoneInfo(self.time_zone)


def _details_lead_to_a_root(queries: tuple[Query, ...]) -> None:
    links = {query.name: query.detail_of.query if query.detail_of else None for query in queries}
    for name in links:
        trail = [name]
        while (owner := links[trail[-1]]) is not None:
            if owner not in links:
                raise ValueError(f"query {trail[-1]!r} is a detail of {owner!r}, which is not defined")
            if owner in trail:
                raise ValueError(f"queries are details of one another in a circle: {' → '.join([*trail, owner])}")
            trail.append(owner)


def _styles_lead_to_a_root(styles: tuple[NamedStyle, ...]) -> None:
    based_on = {style.name: style.based_on for style in styles}
    for name in based_on:
        seen = {name}
        base = based_on[name]
        while base is not None:
            if base not in based_on:
                raise ValueError(f"style {name!r} is based on {base!r}, which is not defined")
            if base in seen:
                raise ValueError(f"style {name!r} is based on itself by way of {base!r}")
            seen.add(base)
            base = based_on[base]


def style_fields(part: Part) -> tuple[str, ...]:
    """The properties of a part that name styles."""
    return tuple(name for name in type(part).model_fields if name == "style" or name.endswith("_style"))


def _styles_used(part: Part) -> set[str]:
    """The styles that a part and all in it name."""
    used: set[str] = set()
    named = style_fields(part)
    for name in type(part).model_fields:
        held = getattr(part, name)
        if name in named and held is not None:
            used.add(held)
        for inner in held if isinstance(held, tuple) else (held,):
            if isinstance(inner, Part):
                used |= _styles_used(inner)
    return used
