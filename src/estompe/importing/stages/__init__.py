"""Formats that animated files are read from frame by frame, one file each."""
