"""Texts of reports to parsed expressions, and values to text.

Reading order: `language` (parse, allow-list) with `function_help`, `identifiers`, `templates`, `placeholders`
(parameters in SQL), `window_names`, `order_by`, `binning`; then values to text: `formats`, `named_patterns`,
`number_patterns`, `number_formatting`, `label_numbers`, `lazy_texts`, `text_concat`, `text_patterns`.
"""
