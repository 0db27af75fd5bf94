"""What makes the runs of standing orders without a window, and loses none and delivers none twice whenever it is ended.

Reading order: `ledger` (what is wanted, under way and done, on disk), `schedule` (timetables, by APScheduler with its
store in the ledger), `watchers` (triggers, each found by its `occasion`) with `span_watch`, `file_watch` and
`query_watch`, `dispatcher` (runs made and handed over, so many at once), `failure_mail` (a mail about a run that
failed), `service` (all of it), `service_state` (what others see of it) and `systemd_unit` (how it is started with the
machine).
"""
