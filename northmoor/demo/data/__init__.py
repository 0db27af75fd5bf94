"""The company's data, made from fixed seeds: `ferries`, `freight`, `history`, `office_files`, `telemetry`."""
