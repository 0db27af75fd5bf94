"""Charts in the rows of a table: each shows the rows of the group in whose heading or total it stands."""

from dataclasses import dataclass

from northmoor.core.compute.chartdata import ArrangedChart
from northmoor.core.layout.chart import LaidChart, lay_out_chart
from northmoor.core.layout.chartview import View
from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import Origin
from northmoor.core.layout.drawings import Area
from northmoor.core.model.charts import Chart


@dataclass(frozen=True, eq=False)
class HostedChart:
    """A chart of a cell definition; `arranged` has the groups of all its instances."""

    chart: Chart
    arranged: ArrangedChart
    query: str
    setting: Setting

    def view(self, instance: int, origin: Origin) -> View | None:
        """The chart of one instance; None for a group of which no rows are drawn."""
        host = self.arranged.host_of.get(instance)
        return None if host is None else View(self.chart, self.arranged, self.query, host, origin, self.setting)

    def laid(self, instance: int, area: Area, origin: Origin) -> LaidChart | None:
        """The chart of one instance in its room. Raises Stopped."""
        self.setting.stop.check()
        view = self.view(instance, origin)
        return lay_out_chart(view, area) if view is not None and area.width > 0 and area.height > 0 else None
