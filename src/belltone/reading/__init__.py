"""From a sheet to its design: every value worked out, every finding collected."""
