"""From a query and parameter values to rows: connections, catalog, read-only guard, binding, fetching."""
