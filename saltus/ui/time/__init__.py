"""Parts of the stage on which events are timed."""
