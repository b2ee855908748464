"""Cast, Measure, Ramp and Drive."""
