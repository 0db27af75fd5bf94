"""Whole pages: fragments, headers and footers to `Page` objects, and what lies where on them.

Reading order: `composition`, `page_sequences` (papers and columns), `headers_footers`, `running_groups`, `watermark`,
`anchors`, `hit_testing`.
"""
