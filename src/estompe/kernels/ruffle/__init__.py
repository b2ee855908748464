"""Loops of sheets that grow in area: their metric, what touches, and small steps."""
