"""From a report to its analysis: every expression and template parsed once, with its place and what it names.

Reading order: `report_texts` (every text of a report with its place and kind), `analysis` (those parsed, and what
they reach), `references` (names in a text, with their spans), `value_uses` (parameters that nothing uses),
`expression_types` (the type of an expression, or the part whose operands do not fit).
"""

from northmoor.core.analysis.analysis import AnalysedText, Analysis, analyse, analyse_edition

__all__ = ["AnalysedText", "Analysis", "analyse", "analyse_edition"]
