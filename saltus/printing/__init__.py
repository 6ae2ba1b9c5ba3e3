"""Qt without windows: drawing graphs, sheets and marked frames."""
