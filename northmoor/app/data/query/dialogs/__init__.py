"""What a step of a query asks for.

Reading order: `step_dialog`, what they have in common; `condition_dialog` with `operand_editor`, `join_dialog` with
`table_picker` and `relations_dialog`, `compute_dialog`, `pivot_dialogs`, `sentence_dialogs`, `detail_dialog`,
`translate_dialog`.
"""
