"""Inks by role, for two themes and for print. Each text role reaches 4.5:1 on its theme's grounds (a test says so)."""

from __future__ import annotations

DAYLIGHT = {
    "paper": "#fffdf7",
    "desk": "#f6f2e8",
    "side": "#ece5d8",
    "ink": "#17252b",
    "muted": "#4c5a5f",
    "rule": "#d9d3c3",
    "keel": "#c2127c",
    "raise": "#1a4fa3",
    "lower": "#9a4a00",
    "in": "#0a6457",
    "out": "#93370d",
    "open": "#664b00",
    "ground": "#e3dac4",
    "wood": "#dcc7a0",
    "stone": "#cfc6b2",
    "leaf": "#a9bedd",
    "leaf2": "#c7d6ec",
    "bright": "#fffdf7",
    "night": "#17252b",
    "on-night": "#fffdf7",
    "row": "#fbe9f3",
    "lit": "#e8edf6",
    "caution": "#fdf3d3",
    "caution-rule": "#c99a1c",
    "caution-ink": "#3d3200",
    "wrong": "#a3122a",
    "wrong-ground": "#fbe6e6",
    "staff": "#17252b",
    "glass": "#dce8bb",
    "field": "#fffdf7",
    "slope0": "#8a7c62",
    "slope1": "#a8997a",
    "slope2": "#c4b694",
    "slope3": "#dccfae",
    "slope4": "#efe6cc",
    "slope5": "#fdf8e8",
}
"""Warm paper, dark ink."""

LAMP = {
    "paper": "#14191c",
    "desk": "#0e1214",
    "side": "#191f22",
    "ink": "#f0ebdf",
    "muted": "#a9b4b4",
    "rule": "#333d41",
    "keel": "#ff6cc0",
    "raise": "#8fb8ff",
    "lower": "#ffae66",
    "in": "#58d1bb",
    "out": "#f5a27a",
    "open": "#e5c05a",
    "ground": "#2a2b26",
    "wood": "#5a4a30",
    "stone": "#44423a",
    "leaf": "#39547f",
    "leaf2": "#2b4061",
    "bright": "#f0ebdf",
    "night": "#f0ebdf",
    "on-night": "#14191c",
    "row": "#3a1a2d",
    "lit": "#20303a",
    "caution": "#362b0d",
    "caution-rule": "#a07a14",
    "caution-ink": "#f5e3ac",
    "wrong": "#ff9a9a",
    "wrong-ground": "#3d1c1c",
    "staff": "#f0ebdf",
    "glass": "#46541f",
    "field": "#1c2327",
    "slope0": "#15150f",
    "slope1": "#22221b",
    "slope2": "#302f26",
    "slope3": "#403e32",
    "slope4": "#525041",
    "slope5": "#666351",
}
"""Dark, for under floors."""

PRINT = {
    **DAYLIGHT,
    "paper": "#ffffff",
    "desk": "#ffffff",
    "bright": "#ffffff",
    "ink": "#000000",
    "muted": "#333333",
}

STRONG = {
    **DAYLIGHT,
    "paper": "#ffffff",
    "desk": "#ffffff",
    "side": "#f2f2f2",
    "ink": "#000000",
    "muted": "#1f1f1f",
    "rule": "#8a8a8a",
    "keel": "#8a0055",
    "raise": "#00307a",
    "lower": "#6b2f00",
    "in": "#00443c",
    "out": "#6e1f00",
    "open": "#463300",
    "ground": "#d8d8d8",
    "bright": "#ffffff",
    "night": "#000000",
    "on-night": "#ffffff",
    "row": "#ffe3f3",
    "lit": "#dfe8ff",
    "caution": "#fff1b8",
    "caution-ink": "#000000",
    "wrong": "#8a0018",
    "staff": "#000000",
    "field": "#ffffff",
}
"""For bright sun and tired eyes: every text 7:1 on its ground."""

THEMES = {"Daylight": DAYLIGHT, "Lamp": LAMP, "Strong": STRONG}
TEXT_ROLES = ("ink", "muted", "keel", "raise", "lower", "in", "out", "open")


def contrast(a: str, b: str) -> float:
    """Return the contrast ratio of two colours (WCAG 2 relative luminance)."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    first, second = sorted((luminance(a), luminance(b)), reverse=True)
    return (first + 0.05) / (second + 0.05)
