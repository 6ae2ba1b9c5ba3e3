"""Look, controls and what all stages are made of."""
