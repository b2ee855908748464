"""Sheets that lie over the view: start and help."""
