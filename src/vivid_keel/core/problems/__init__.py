"""Problem files: one calculation in, its result out, every field checked on the way in."""
