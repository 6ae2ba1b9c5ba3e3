"""The gallery of investigations."""
