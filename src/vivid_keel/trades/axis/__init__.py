"""An axis of rotation on feet, brought to gravity by a level that stays on the turning part."""
