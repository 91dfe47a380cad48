"""Ground: points with heights, the surface through them, planes against it, and the walks that bring the heights."""
