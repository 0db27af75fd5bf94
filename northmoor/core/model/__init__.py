"""The report definition: immutable parts, their JSON file, atomic saving."""
