"""The ferry company of all examples, tests and pictures.

`demo_library` makes the library from `data` and `reports`; `booking_desk` plays a calling program, `live_telemetry` the
vessels.
"""
