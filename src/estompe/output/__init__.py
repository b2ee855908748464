"""Pictures, movies and contact sheets of a scene: frames are computed, drawn and written, from where one stopped."""
