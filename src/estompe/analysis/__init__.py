"""Questions about evaluated scenes: when a strength passes, where fronts lie, what overlaps, slices."""
