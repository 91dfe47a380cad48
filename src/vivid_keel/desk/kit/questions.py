"""What the stages of the kit and of an instrument answer, for F1."""

QUESTIONS: dict[tuple[str, str], tuple[str, ...]] = {
    ("kit", "Instruments"): (
        "The kit: what there is, and what each is worth today.",
        "Enter opens an instrument; the second sheet adds one. The kit is a file of its own and outlives jobs.",
    ),
    ("kit", "Which one"): (
        "Which one: say the tolerance, the span and the conditions.",
        "Each instrument's U over the span stands against the tolerance: U ≤ tolerance can prove it. Under a quarter of it, more precision buys nothing.",
    ),
    ("kit", "Diary"): (
        "The diary: what falls due, now and in the weeks ahead.",
        "Every instrument has its days; a knock, long transport, an adjustment or a repair makes its checks due at once. It warns, it never locks.",
    ),
    ("tool", "Instrument"): (
        "Instrument: what it is and what matters for it.",
        "Grey values are usual for the kind until you say. F3 says that it was knocked, carried far, adjusted or repaired.",
    ),
    ("tool", "Which check"): (
        "Which check: every check of its kind, each school or layout by itself.",
        "Enter begins one, or goes on where it was left. The picture shows how it is laid out, to scale.",
    ),
    ("tool", "Readings"): (
        "Readings: the check, step by step.",
        "Do what the line under the sheet says, read, Enter. The bubble: where its middle stands in divisions, right +, or both its ends (−3.4 6.6), or dragged in the picture. More cycles make the ± smaller. Stop where you like: it is there when you come back.",
    ),
    ("tool", "Result"): (
        "Result: the error with its ± against what is allowed, and what follows.",
        "Proven in: trust it. Proven out: adjust it to the place named, half the way back, and check again. Known well enough: correct every reading by it. Else it goes out of use.",
    ),
    ("tool", "History"): (
        "History: its errors over its life.",
        "A line is fitted from three checks on since the last knock, adjustment or repair, never through one; it says when the limit would be crossed.",
    ),
}
"""By type of desk and stage."""
