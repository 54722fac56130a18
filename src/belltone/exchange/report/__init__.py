"""A report of a sheet: what stands in it, and its pages."""
