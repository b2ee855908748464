"""Branches: places in rank order, trees that reach them, and what a tree is drawn as."""
