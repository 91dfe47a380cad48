"""The one engine: points, a target, means that move them, an order, a proof."""
