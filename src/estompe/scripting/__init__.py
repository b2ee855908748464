"""Building scenes in scripts: handles over the same frozen scene that the window edits."""
