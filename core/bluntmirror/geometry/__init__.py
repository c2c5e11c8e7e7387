"""Frames, triangle meshes, shapes, mesh files, and questions about distance."""
