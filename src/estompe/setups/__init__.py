"""Adding parts to a scene with sensible first values, and quick set-ups that add several at once."""
