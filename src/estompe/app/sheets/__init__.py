"""Sheets that lie over the view: start, Routing, Table, overlaps, preferences, reference and shortcuts."""
