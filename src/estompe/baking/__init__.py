"""Frames and states computed ahead, for files of any kind."""
