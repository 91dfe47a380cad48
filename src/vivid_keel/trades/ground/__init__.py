"""A piece of ground: its points, the surface through them, and a plane of water or of earth against it."""
