"""Formats that meshes are imported from, one file each."""
