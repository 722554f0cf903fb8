"""Data of parts that exist: the user's own lists."""
