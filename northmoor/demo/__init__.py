"""The demo library of Tarrow Sound Ferries: made up, and the same on every machine."""
