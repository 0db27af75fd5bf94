"""The ferry company of all examples, tests and pictures.

`demo_library` makes the library from `data` and `reports`; `deliveries` its standing orders and the runs of two weeks;
`booking_desk` plays a calling program, `live_telemetry` the vessels.
"""
