"""Cutting meshes into cells."""
