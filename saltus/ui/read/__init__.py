"""The stage Read."""
