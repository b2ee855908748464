"""Meshes as volumes of voxels, and back."""
