"""Shapes by themselves: profiles, paths, outlines, charts, received meshes."""
