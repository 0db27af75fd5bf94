"""The kinds of block an edition is made of, as pydantic models.

Reading order: `text`, `picture`, `simple`, `table`, `matrix`, `chart`; `containers`, those that hold others;
`block_types`, all kinds; `tree`, walking through blocks in blocks.
"""
