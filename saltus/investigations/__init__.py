"""The catalogue: one declarative file per experiment, and the engine that runs it."""
