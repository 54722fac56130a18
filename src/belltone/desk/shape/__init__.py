"""The shape: canvases, panes, what is picked on them."""
