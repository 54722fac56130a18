"""From a design to nodes and elements."""
