"""Sheets that grow in area and fold."""
