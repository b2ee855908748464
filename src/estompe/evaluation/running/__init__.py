"""Stages as they are run: tokens, cache, schedule, checks."""
