"""A document as one web page: `writer` (the whole), `page_parts` (what is shared while it is written), `looks` (styles
as CSS), `prose` (headings, paragraphs, lists), `grouped_tables` (with groups that open and close), `drawn_parts`
(charts, pictures, codes, readouts)."""
