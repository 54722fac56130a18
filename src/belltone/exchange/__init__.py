"""Results in and out as tables, CSV and JSON."""
