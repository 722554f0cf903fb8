"""What other programs call, and the command line too: files to converters, converters to results."""
