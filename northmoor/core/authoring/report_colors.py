"""The colours that a report uses, for choosing among them."""

import re
from collections import Counter

from northmoor.core.model.report import Report
from northmoor.core.model.serialization import report_text

_COLOR = re.compile(r'"(#[0-9A-Fa-f]{6})"')
_MOST = 12


def report_colors(report: Report) -> list[str]:
    """The colours of a report, the most used first, at most twelve."""
    counts = Counter(color.upper() for color in _COLOR.findall(report_text(report)))
    return [color for color, _ in sorted(counts.items(), key=lambda pair: (-pair[1], pair[0]))[:_MOST]]
