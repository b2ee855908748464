"""What has to be computed for a frame: stages and what they take, found before anything is run."""
