"""Jobs of a practitioner, done by hand in the window from an empty scene, with every step counted."""
