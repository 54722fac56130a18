"""A window that hands over: report, film, picture, tables, files."""
