"""Formats that frames are exported to, one file each."""
