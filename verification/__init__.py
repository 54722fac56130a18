"""Reference cases, each a sheet and frequencies found without finite elements.

``python -m verification`` solves them all and writes the table of measured errors.
"""
