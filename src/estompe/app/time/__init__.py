"""Playing, the ruler, and keys on lanes."""
