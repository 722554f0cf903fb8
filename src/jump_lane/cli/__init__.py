"""The command line: reads options, calls the core, prints."""
