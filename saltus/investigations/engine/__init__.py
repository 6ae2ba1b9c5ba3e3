"""Running an investigation on a table."""
