"""The graph of an investigation."""
