"""The example reports, one module each; `shared_parts` holds what several have.

`fares_by_route`, `route_month_matrix`, `punctuality`, `sailings_log`, `cost_centres`, `selected_waybills`,
`freight_statement`, `winter_letter`, `board_sheet`, `voyage_report`, `fleet_day`,
`last_hour`.
"""
