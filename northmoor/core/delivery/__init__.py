"""From a report on the desk to people who rely on it: runs that are kept, sent, and repeated.

Reading order: `archive` (what is kept of a run, and how it is found and compared), `runs` (how a run is made, in a
process of its own), `destinations` (where it goes), `orders` (when runs are made, and with what), `service` (what makes
them without a window), `library_delivery` (all of it, for programs), `schemas` (the forms of its files).
"""
