"""The window. Panels pull what they show from the session; edits go through it to the history."""
