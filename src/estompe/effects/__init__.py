"""Effects: one file each, with its settings and what it does to a geometry."""
