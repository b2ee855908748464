"""Prims of a USD scene over time, one writer each."""
