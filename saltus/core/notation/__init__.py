"""How symbols and formulas are written: set with fractions, powers and roots, or along one line."""
