"""The table of trials."""
