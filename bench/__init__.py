"""Measurements: every figure is a ratio of two things timed in turn in one run, because machines are shared and noisy."""

# Before anything imports Numba: it says how wide vectors are, and Numba listens only once.
import estompe.kernels  # noqa: F401
