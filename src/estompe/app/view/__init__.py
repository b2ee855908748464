"""The view: the picture, what is drawn over it, and what the pointer does in it."""
