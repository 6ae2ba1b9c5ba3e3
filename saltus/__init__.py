"""Saltus: a bench for measuring motion from recorded video and timed trials."""

__version__ = "0.1.0"
