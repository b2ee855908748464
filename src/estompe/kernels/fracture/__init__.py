"""Loops of fracture."""
