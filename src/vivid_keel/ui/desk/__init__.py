"""What a window shows and does for a work, without Qt: plain objects, tested plainly."""
