"""Cloth on meshes."""
