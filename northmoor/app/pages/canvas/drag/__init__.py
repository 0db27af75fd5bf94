"""What is dragged on the canvas: each drag is one object of the `protocol`, from press to drop.

Reading order: `protocol`, `column_width`, `column_move`, `rail_move`, `block_place` and `block_move`, `field_drop` and
`drop_area`, `frame_item`, `guide`, `margin` and `line_hold`, `rectangle`.
"""
