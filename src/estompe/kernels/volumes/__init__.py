"""Compiled loops over sparse volumes: blocks of voxels where there is something near, and nothing elsewhere."""
