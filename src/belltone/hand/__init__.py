"""Textbook values to hold computed frequencies against, each with its source and assumptions."""
