"""Pieces as rigid bodies: their hulls and masses, the joints between them, and how they move."""
