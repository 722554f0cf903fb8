"""What is done with a design as a whole: templates, corners, sweeps."""
