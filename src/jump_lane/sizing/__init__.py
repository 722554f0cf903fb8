"""Component values found so that the simulated converter just keeps every limit."""
