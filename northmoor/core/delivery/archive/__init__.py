"""What is kept of runs: a folder for each, which is never changed, and an index over all, which can be made again.

Reading order: `run_record` (what a run's file says), `run_texts` (what is on its pages, as rows), `run_folder` (a run
that is being made, and how it is put in its place in one step), `archive_index` (the index), `archive` (all of it),
`keep_rules` (which runs are kept), `compare_runs` (what differs between two).
"""
