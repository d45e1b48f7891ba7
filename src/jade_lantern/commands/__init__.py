"""The command line, a file for each kind of work."""
