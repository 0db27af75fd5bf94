"""What is dragged on the canvas: each drag is one object of the `protocol`, from press to drop.

Reading order: `protocol`, `column_width`, `column_move`, `field_drop` and `drop_area`, `frame_item`, `grid_cell`,
`guide`, `margin`, `rectangle`.
"""
