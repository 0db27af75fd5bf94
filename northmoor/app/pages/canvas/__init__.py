"""The canvas: pages of a document as pictures, what is selected on them, and what the pointer drags.

Reading order: `canvas_widget`; `page_stack`, where each page is; `hit_selection`, from a place on a page to a part of
the report and back; `selection_marks`, how what is selected is lit up; `level_rails`, the brackets beside a page;
`drag`.
"""
