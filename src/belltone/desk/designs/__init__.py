"""Tables of designs: their plans, what is told of each, and charts of it."""
