"""Blocks flowed down pages: from an edition's blocks to fragments with their page and place.

Reading order: `placer` with `cursor`, `layout_pass` (state of one pass); `simple_blocks` with `leaf_boxes` and
`readout`, `data_blocks`, `for_each` with `records`, `container_blocks` with `grid_tracks`, `toc`; `text_evaluation`;
`fragments` and `placement`, what is placed.
"""
