"""Loops that solve, grow and cover branches."""
