"""Edits: small named functions from a notebook to a notebook."""
