"""From a report and its values to the blocks that are computed.

Reading order: `visibility` (what is shown), `correlation` (blocks in a for-each joined to its records), `registry`
(which function evaluates each kind of block).
"""
