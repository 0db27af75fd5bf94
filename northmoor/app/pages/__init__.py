"""A document's real pages, on which its report is edited.

Reading order: `workspace` joins the parts; `canvas` shows pages and drags; `panels` are the docks; `field_placement`
puts fields into blocks, `field_texts` names their totals, `grid_steps` change grids; `inspector` edits what is
selected; `part_menu` is what can be done to it; `editing` edits texts in place; `actions` change blocks, fields and
frames; `dialogs` change the rest.
"""
