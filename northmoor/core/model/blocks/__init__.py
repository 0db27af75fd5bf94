"""The kinds of block an edition is made of, as pydantic models.

Reading order: `text`, `picture`, `simple`, `table`, `matrix`, `chart`; `containers`, those that hold others, and the
union of all; `tree`, walking through blocks in blocks.
"""
