"""Measurements: every figure is a ratio of two things timed in turn in one run, because machines are shared and noisy."""
