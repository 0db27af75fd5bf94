"""The language of the window's texts, and its unit of lengths.

`translation` has what every text of the window goes through; `catalogue` reads the texts of a language (`de.po`) and
has the toolkit use them; `core_sentences` recognises what the core says; `timetable_text` and `period_text` read and
write timetables and periods in words. `time_left` says how long work still takes, `length_unit` writes lengths.
"""
