"""The command line: one module for each family of commands."""
