"""Parameter values: read from texts, resolved against the data time, typed and named."""
