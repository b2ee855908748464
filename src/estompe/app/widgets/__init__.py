"""The pieces panels are made of."""
