"""The window: PyQt6 Widgets. It shows what the desks say and hands them what is typed."""
