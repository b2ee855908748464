"""What shapes are made from: one file each, with its settings and how it builds a mesh."""
