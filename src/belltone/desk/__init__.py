"""The window. Only this package draws; everything it shows is computed below it."""
