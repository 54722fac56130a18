"""Received CAD parts: bodies of thin walls, their skins, and how these are cut into pieces."""
