"""Bell Tone: tune the natural frequencies of a component until every excitation band is clear."""

__version__ = "0.1.0"
