"""A window for what was measured."""
