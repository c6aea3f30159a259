"""The command line; thin."""
