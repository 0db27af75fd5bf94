"""Charts in the rows of a table: each shows the rows of the group in whose heading or total it is."""

from msgspec import Struct

from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.layout.chart.facets import ChartView
from northmoor.core.layout.chart.layout import ChartLayout, lay_out_chart
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.model.blocks.chart import Chart


class CellChart(Struct, frozen=True, eq=False):
    """A chart of a cell definition; `data` has the groups of all its instances."""

    chart: Chart
    data: ChartData
    query: str
    context: LayoutContext

    def view(self, instance: int, origin: SourceRef) -> ChartView | None:
        """The chart of one instance; None for a group of which no rows are drawn."""
        host = self.data.host_of.get(instance)
        return None if host is None else ChartView(self.chart, self.data, self.query, host, origin, self.context)

    def lay_out(self, instance: int, area: Rect, origin: SourceRef) -> ChartLayout | None:
        """The chart of one instance in its room. Raises Stopped."""
        self.context.stop.raise_if_cancelled()
        view = self.view(instance, origin)
        return lay_out_chart(view, area) if view is not None and area.width > 0 and area.height > 0 else None
