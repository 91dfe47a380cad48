"""A top made of panels on a frame, brought to one plane without a step that a finger feels."""
