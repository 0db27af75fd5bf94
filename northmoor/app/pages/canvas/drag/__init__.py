"""What is dragged on the canvas: each drag is one object of the `protocol`, from press to drop.

Reading order: `protocol`, `column_width`, `field_drop`, `frame_item`, `grid_cell`, `guide`.
"""
