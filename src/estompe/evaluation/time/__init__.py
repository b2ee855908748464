"""Other frames, and states that grow from frame to frame."""
