"""A standing order, asked for: `order_dialog` joins the `trigger_form` (when) and the `destination_rows` (to whom)."""
