"""F1: each stage in a few lines."""

HELP = {
    ("run", "Instrument"): ["Instrument: what took these readings, and what is one reading worth?",
        "Choose the way you read; the ± that stands beside it goes into every height.",
        "Handbook: docs/handbook/level-run.md"],
    ("run", "Set-up"): ["Set-up: where did the instrument stand, and what hangs on it?",
        "List the marks whose height you know. Each set-up begins with a backsight on a mark of known height: "
        "height of collimation = height + backsight. Once the instrument has moved, that line is dead. "
        "Where to stand plans the set-ups from rough heights, staff and eye height. A known mark may follow another run.",
        "Handbook: docs/handbook/level-run.md"],
    ("run", "Readings"): ["Readings: the book itself.",
        "Name the mark, Enter, read, Enter. In an empty reading cell B, I or F says backsight, intermediate or foresight. "
        "After a foresight comes the backsight of the next set-up on the same line of the page. Overhead: staff upside down, "
        "booked with a minus. A wrong reading: type over it (the first stays, struck), or Ctrl+D. F8 slides the hair on a drawn staff, "
        "F11 is site mode, F3 says that the instrument was moved, knocked or taken in.",
        "Hairs and looks: outer hairs give the distance and check the middle one; a second look stands beside the first.",
        "Handbook: docs/handbook/level-run.md"],
    ("run", "Heights"): ["Heights: every mark, as observed and as corrected, with its U.",
        "F4 on a line shows how its height came about.", "Handbook: docs/handbook/level-run.md"],
    ("run", "Proof"): ["Proof: does it add up, does it close?",
        "The sums check the arithmetic; the misclosure checks the readings. Within the limit it is spread over the set-ups; "
        "over it nothing is spread unless you give a reason. Find the slip ranks what may have gone wrong, with what to read again.",
        "Handbook: docs/handbook/level-run.md"],
    ("network", "Instrument"): ["Instrument: what is a line worth?",
        "Lines count by 1/σ². By the instrument of each run, by set-ups, or by length.", "Handbook: docs/handbook/network.md"],
    ("network", "Readings"): ["Readings: which runs are taken in.",
        "Marks of the same name are the same mark, in all runs; CP 1, CP 2 … belong to their own run. Enter leaves a run out.",
        "Handbook: docs/handbook/network.md"],
    ("network", "Heights"): ["Heights: every mark, adjusted, with its U.",
        "F4 on a line shows what went into it.", "Handbook: docs/handbook/network.md"],
    ("network", "Proof"): ["Proof: does it fit, and which line fits worst?",
        "The variance factor says whether corrections are as large as σ promised. A line over 3.29 is looked at first.",
        "Handbook: docs/handbook/network.md"],
    ("supports", "Instrument"): ["Instrument: what took these readings, and what is one reading worth?",
        "The ± decides whether a tolerance can be proved at all.", "Handbook: docs/handbook/supports.md"],
    ("supports", "Set-up"): ["Set-up: the posts, their rows, and how the scale is held.",
        "Hangs: from the beam down to the line; a larger reading is a higher beam. Stands: on the point up to the line; "
        "a larger reading is a lower point.", "Handbook: docs/handbook/supports.md"],
    ("supports", "Readings"): ["Readings: one scale reading at every post, all on one line.",
        "Enter goes to the next post. Read the watch mark too, off the structure: read again each round, it ties the lines together. "
        "Name one post that looks high by eye: it tells if the scale's sense is turned round.",
        "Handbook: docs/handbook/supports.md"],
    ("supports", "Heights"): ["Heights: how far each post is from the target, with its U.",
        "Proven in: |deviation| + U within the tolerance. Such posts are left alone.", "Handbook: docs/handbook/supports.md"],
    ("supports", "Target"): ["Target: bring it to what, at what cost?",
        "Enter takes a target from the list; or drag the dashed line in the picture (Up, Down), or tip it by the ring at its end "
        "(Left, Right). Stock, limits and order, and what moves the posts are on the sheets beside it.", "Handbook: docs/handbook/supports.md"],
    ("supports", "Moves"): ["Moves: who is raised, in which order, with which leaves, until the scale shows what.",
        "Jack until the scale shows First to, pack, let down, read. Stop at is the reading after letting down.", "Handbook: docs/handbook/supports.md"],
    ("marks", "Instrument"): ["Instrument: what carries the mark, and how well once?",
        "A water tube goes round corners; an optical level or laser sees every column. The ± of one carrying goes into every measure.",
        "Handbook: docs/handbook/marks.md"],
    ("marks", "Set-up"): ["Set-up: the first mark, star or chain, and the columns.",
        "A star carries each from the same mark; a chain each from the last, and its u grows as √n. With places in plan and the tube's "
        "reach the order is planned so that most are a star.", "Handbook: docs/handbook/marks.md"],
    ("marks", "Readings"): ["Readings: at each column from the mark down to the slab and up to the top.",
        "A mark that could not be made on the line: its offset, above +, below −.", "Handbook: docs/handbook/marks.md"],
    ("marks", "Heights"): ["Heights: each mark, the slab for free, up to the design, cut or make up.",
        "F4 shows how each came about.", "Handbook: docs/handbook/marks.md"],
    ("marks", "Proof"): ["Proof: a chain is carried back to its first mark.",
        "Within 2·u·√n it is spread over the steps; over it nothing is spread.", "Handbook: docs/handbook/marks.md"],
    ("vehicle", "Set-up"): ["Set-up: what it is, its track and length, the steps of the ramp, what it may lean.",
        "Grey values are taken until you say. The level's own offset at its place: turn the vehicle about on the same spot, half the "
        "sum of both readings.", "Handbook: docs/handbook/vehicle.md"],
    ("vehicle", "Readings"): ["Readings: the two-way level as found, side to side and nose to tail.",
        "Right side high is +, nose high is +.", "Handbook: docs/handbook/vehicle.md"],
    ("vehicle", "Moves"): ["Moves: the low wheel first, then the nose.",
        "With steps the nearest is taken and what is left over is said. Headings shows what standing another way would take.",
        "Handbook: docs/handbook/vehicle.md"],
    ("vehicle", "Proof"): ["Proof: read it again at the same place.", "Handbook: docs/handbook/vehicle.md"],
    ("kit", "Instruments"): ["The kit: what there is, and what each is worth today.",
        "Enter opens an instrument; the second sheet adds one. The kit is a file of its own and outlives jobs.",
        "Handbook: docs/handbook/kit.md"],
    ("kit", "Which one"): ["Which one: say the tolerance, the span and the conditions.",
        "Each instrument's U over the span stands against the tolerance: U ≤ tolerance can prove it. Under a quarter of it, more "
        "precision buys nothing.", "Handbook: docs/handbook/kit.md"],
    ("kit", "Diary"): ["The diary: what falls due, now and in the weeks ahead.",
        "Every instrument has its days; a knock, long transport, an adjustment or a repair makes its checks due at once. It warns, "
        "it never locks.", "Handbook: docs/handbook/kit.md"],
    ("tool", "Instrument"): ["Instrument: what it is and what matters for it.",
        "Grey values are usual for the kind until you say. F3 says that it was knocked, carried far, adjusted or repaired.",
        "Handbook: docs/handbook/kit.md"],
    ("tool", "Which check"): ["Which check: every check of its kind, each school or layout by itself.",
        "Enter begins one, or goes on where it was left. The picture shows how it is laid out, to scale.",
        "Handbook: docs/handbook/checks.md"],
    ("tool", "Readings"): ["Readings: the check, step by step.",
        "Do what the line under the sheet says, read, Enter. The bubble: where its middle stands in divisions, right +, or both its ends "
        "(−3.4 6.6), or dragged in the picture. More cycles make the ± smaller. Stop where you like: it is there when you come back.",
        "Handbook: docs/handbook/checks.md"],
    ("tool", "Result"): ["Result: the error with its ± against what is allowed, and what follows.",
        "Proven in: trust it. Proven out: adjust it to the place named, half the way back, and check again. Known well enough: correct "
        "every reading by it. Else it goes out of use.", "Handbook: docs/handbook/checks.md"],
    ("tool", "History"): ["History: its errors over its life.",
        "A line is fitted from three checks on since the last knock, adjustment or repair, never through one; it says when the limit "
        "would be crossed.", "Handbook: docs/handbook/kit.md"],
    ("supports", "Proof"): ["Proof: read every post again.",
        "Each deviation is judged with its U: proven in, proven out, or not proven. Rounds says what each round did; Look again "
        "puts a re-check into the diary.", "Handbook: docs/handbook/supports.md"],
}  # fmt: skip
_PAGES = {"run": "level-run", "network": "network", "supports": "supports", "marks": "marks", "vehicle": "vehicle"}
for _type in _PAGES:
    HELP[(_type, "Record")] = [
        "Record: who, what stays open, the report.",
        "Note what still has to be seen to. Ctrl+P writes the report as a PDF beside the job file.",
        f"Handbook: docs/handbook/{_PAGES[_type]}.md",
    ]
