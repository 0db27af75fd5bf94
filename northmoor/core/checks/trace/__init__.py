"""Trace: why a figure is what it is. Its formula, its scope, the very rows, and what plain SQL says of them.

Reading order: `dispatch` finds what is traced at a place; `tables`, `matrices`, `charts` and `texts` trace each
kind, `signal_figures` the readings behind statistics of signals, which `statistic_sql` asks again; `figures` holds what
they give. `pointed` finds the value at a place without asking how it came about, `trial` what it would be with another
expression.
"""

from northmoor.core.checks.trace.dispatch import trace
from northmoor.core.checks.trace.figures import Figure, Trace

__all__ = ["Figure", "Trace", "trace"]
