"""From query to query: their fields as they are chosen, and conditions with the parameters that these ask for.

`field_choices`; `query_filters`, conditions that readers choose the values of, and `dependent_lists`, lists narrowed by
other parameters; `propose_parameters`, for the names in a query's SQL; `routine_calls`.
"""
