"""When runs are made, and with what: standing orders, each a file of the library.

Reading order: `timetable` (days and times, and when they come next), `timetable_words` (the same in words), `triggers`
(what else can ask for a run), `when_words` (any of them in words), `standing_order` (an order), `order_files` (the
files), `order_request` (the run that an order asks for).
"""
