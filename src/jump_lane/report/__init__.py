"""Results as tables, figures and files for others to read."""
