"""Results and unsaved work on disk."""
