"""Motion over a turn, and whether it closes."""
