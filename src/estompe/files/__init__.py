"""Files: atomic writes, locks, checks before a file is opened, progress and errors."""
