"""The open sheet, its answers, and the work under way."""
