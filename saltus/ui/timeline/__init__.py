"""The time axis of a take."""
