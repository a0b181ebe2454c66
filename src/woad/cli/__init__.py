"""The command line: the same work without a screen."""
