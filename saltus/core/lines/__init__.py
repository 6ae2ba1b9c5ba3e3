"""Straight lines and curves through levels, with uncertainties in both coordinates."""
