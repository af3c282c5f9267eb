"""What the help says, page by page."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Page:
    """What to know about one screen: sentences, the arithmetic, and where it comes from."""

    title: str
    sentences: tuple[str, ...]
    formula: str = ""
    source: str = ""


KEYS = (
    ("Digits", "go to the current callout, wherever the keyboard is"),
    ("Enter", "keep the reading and go on; press the button that is marked"),
    ("Backspace", "on an empty callout: take the last reading back"),
    ("↑ ↓", "another callout; on the rose, another spoke"),
    ("F6", "print another of a job that was proven, and go again"),
    ("F7", "turn the piece over: its lower edges"),
    ("F8", "type the practice reading"),
    ("F9", "this length can’t be read, or can after all"),
    ("Ctrl+Return", "go on: the main button of the screen"),
    ("Alt+1 … Alt+4", "Make, Measure, Correct, Confirm"),
    ("Escape", "back to the rose"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+O", "open a shop file"),
    ("F11, F12", "full screen, shop-floor view"),
    ("F1, Shift+F1", "about this screen, this list"),
    ("Ctrl+Q", "quit; everything is kept already"),
)
PAGES = {
    "rose": Page(
        "The rose",
        (
            "One spoke for each calibrated value. Its length is the error in tolerances: the ring is the tolerance, "
            "what pokes out of it is to be corrected. The bar across the tip is the uncertainty.",
            "Full disc: in. Triangle: out. Half disc: can’t tell. Square: to be checked again, because something "
            "under it changed or it is old. Dotted ring: never measured.",
            "Choose a spoke with the arrow keys or the mouse; Enter begins a round.",
        ),
        "length = |error| ÷ tolerance",
        "Error = actual − commanded, as in ISO 230-2.",
    ),
    "make": Page(
        "Make",
        (
            "Longer is better: the same reading error matters ten times less over ten times the length. The right "
            "column says what a piece of this size will tell with this instrument, before anything is cut.",
            "Dry run plays the very file on the picture of the bed: what is made, in which order, what is only "
            "travelled, how long it takes. A file that makes a line nobody ordered, or leaves one out, is refused.",
            "The piece has a long and a short length per axis. Kerf and lost motion are the same in both, so their "
            "difference holds only the scale.",
            "The piece keeps the numbers that are in the controller now, even if they are changed before it is "
            "measured.",
        ),
        "resolves to U = t · u ÷ (long − short)",
        "GUM (JCGM 100), see docs/arithmetic.md, 3 and 4.",
    ),
    "measure": Page(
        "Measure",
        (
            "Type each reading onto its dimension line and press Enter; the next callout is waiting. Three passes, "
            "because a single reading shows no mistake.",
            '400.31, 400,31, 22 5/8, 22-5/8" and 12.5 thou are all understood. Bare digits take the instrument’s unit.',
            "What can’t be read stays, hatched, and is left out of the answer.",
            "A reading far from its brothers is asked about first. Above half a metre Warmth takes °C of piece and "
            "instrument. The small line under a verdict says where its ± comes from.",
        ),
        "new = old × (long − short as ordered) ÷ (long − short as read)",
        "Verdict after ISO 14253-1: in where |error| + U ≤ T, out where |error| − U > T.",
    ),
    "correct": Page(
        "Correct",
        (
            "The old numbers are in the logbook already. Enter the new ones in the controller, then type here what it "
            "really shows: that number counts from now on, with its rounding.",
            "An error inside its own uncertainty is not worth correcting, and a value that is in is best left alone.",
        ),
        "worth correcting where |error| > U",
        "ISO 14253-1; docs/arithmetic.md, 2.",
    ),
    "confirm": Page(
        "Confirm",
        (
            "The same piece again, beside the first, with the new numbers. In: sign it off. Out: correct again. "
            "Can’t tell may be signed with a reason; the spoke stays half filled.",
            "If the second piece is twice as far out as the first, the number went the wrong way.",
        ),
    ),
    "logbook": Page(
        "Logbook",
        (
            "Everything that was found, changed and signed, newest first. Choose an entry to see that value’s history.",
            "CSV holds what the filters show; JSON holds every reading, for another shop file; the record of a signed "
            "round is a page for the customer.",
        ),
    ),
    "machine": Page(
        "A machine’s profile",
        (
            "X and Y are the controller’s letters; the picture says where they point from where you stand. Everything "
            "on screen is drawn from there.",
            "The controller’s numbers may be steps per mm or inch, travel per step, a pair or a percentage. Pairs and "
            "percentages are multiplied by a correction, never replaced.",
            "A change here never changes a finding that was made before.",
        ),
        "actual = commanded × (1 + s);  new = old ÷ (1 + s), or × for travel per step",
        "docs/arithmetic.md, 2.",
    ),
    "stock": Page(
        "Stock and tools",
        (
            "Materials and thicknesses down, what cuts across. A full frame is a kerf that was found here, with its U "
            "and date; a dashed one is only where to begin: between two thicknesses, as the maker’s chart says, or as "
            "the nearest.",
            "Arrow keys go from one to the next, Enter puts it on the machine. A controller that keeps one kerf still "
            "holds the number of what was on it before: the line to enter stands beside it.",
            "A cutting chart is any CSV table: say once which column is what, and in which units.",
            "Use is counted from what was cut here; type what the machine’s own counter says. The line says when the "
            "kerf will have drifted by its tolerance.",
        ),
        "between two thicknesses: on the straight line from one kerf to the other",
        "docs/arithmetic.md, 8.",
    ),
    "controller": Page(
        "The controller’s listing",
        (
            "Name a file with its settings: the numbers that the logbook knows are lit in it, green where both say the "
            "same. Which key is which is guessed for your yes; a number under no name is shown by putting the cursor "
            "on it.",
            "Where they differ, write the logbook’s number into the file, say that the one in the file is in the "
            "controller, or leave it and say why. Nothing else in the file changes by a byte, and it is kept as it "
            "stood before, here and beside it (.before).",
            "Say which file its program reads: each round then begins by looking there, and Correct writes there. What "
            "was made while a number was changed unseen is in doubt, and says so.",
            "Compare with any copy, or with the maker’s sheet, and put one back whole.",
            "Over a cable nothing is believed that was not answered: settings are read twice, a number that was sent "
            "is read back. Arrow keys move it as you see it, Shift ten times the step; Space or Escape stops at once. "
            "A program asks for a second key before anything moves.",
        ),
        "key = value, key: value, key value or key,value",
        "docs/arithmetic.md, 2.",
    ),
    "together": Page(
        "All readings",
        (
            "Everything that was read since the controller’s numbers are what they are, solved at once. Each column is "
            "something that is looked for, each row something that was read.",
            "A full disc: without that reading the answer would be gone. A thin one: others say the same. An arc joins "
            "two answers that hang together: if one is wrong, so is the other. A dashed one: they can’t be told apart.",
            "Left and right go from column to column; beside it stands what the answer rests on, and what would tell.",
        ),
        "reading = Σ coefficient × unknown + error, all at once",
        "docs/arithmetic.md, 8.",
    ),
    "instruments": Page(
        "Instruments",
        (
            "The smallest division and the permissible error decide what a reading is worth. Repeats are learnt from "
            "the logbook, for each instrument by itself.",
            "A permissible error is shared by all readings of an instrument: more readings don’t average it away.",
        ),
        "u² = s²/n + r²/12 (r²/6 for a rule) + s_piece²;  permissible error ± (a + b·L)",
        "GUM (JCGM 100); docs/arithmetic.md, 3.",
    ),
}
# While a procedure's readings are given, its own page stands in for the general one.
OF_SHEETS = ("pointer", "registration", "print-scale", "proof")
PROCEDURE_PAGES = {
    "bevel": Page(
        "Bevel",
        (
            "Read one size of a part at its upper edges, turn it over (F7), and read it at the lower ones.",
            "The picture shows the edge in section, and the limit of the range of the standard that it falls into.",
            "No number in a controller cures it: look at the torch’s height, its angle, the direction of the cut and "
            "the consumables, and cut another.",
        ),
        "off square by (below − above) ÷ 2",
        "ISO 9013; docs/arithmetic.md, 8.",
    ),
    "pointer": Page(
        "Pointer to tool",
        (
            "Aim the dot at a mark, have the machine draw there by the offset that it holds, see where the cross "
            "lies. Drag the cross in the picture until it looks like yours, press the arrow keys (Shift: ten "
            "times), or type.",
            "Where you stand, which way up the sheet lies: turn the view, look from below. The picture and its "
            "words turn, the numbers stay along the machine’s axes.",
            "What grows over the sheet is how it lies or was printed. On a sheet with verniers one tick of the "
            "tool’s runs on in a printed one: that pair says the rest.",
            "A photo or a scan of the sheet, its code in it, reads all targets at once: drop it, paste it, or name "
            "its file. Take out what was found wrongly; what was not found is read as usual.",
        ),
        "new offset = old − where the tool landed",
        "Offset = pointer − tool; docs/arithmetic.md, 9.",
    ),
    "registration": Page(
        "Registration",
        (
            "Bring the dot onto one mark after the other and type where the machine stands; each one says where the"
            " next should be.",
            "The arrows are what the marks say against one another, magnified. A mark that stands out is named only"
            " where the others can tell.",
            "Nothing is entered: a sheet that is out is laid flat and gripped again, or printed anew.",
        ),
        "found = shift + turn · skew · scale · ordered",
        "Least squares over all marks; docs/arithmetic.md, 9.",
    ),
    "print-scale": Page(
        "Print scale",
        (
            "Over a printed sheet the tool makes ticks far apart, at their ordered distance. Measure from the middle "
            "of one to the middle of the other; they alone correct the cutter.",
            "What the printer made of a length, its bars say: that is never the cutter’s.",
            "The crosses are the check: drag each until it lies as yours does. What grows with the place is cutter "
            "against printer, what is the same everywhere is how the sheet was aimed at.",
            "The number belongs to printer and carrier: another mat is another number.",
        ),
        "new = old · ordered ÷ measured",
        "docs/arithmetic.md, 9.",
    ),
    "proof": Page(
        "Proof job",
        (
            "An artwork is dropped, its outline looked at while border, corners and threshold change; print and cut "
            "are seen together or apart. It is printed with marks, and may dry as long as it takes.",
            "Back again it is laid down, aimed at mark by mark, and cut where it was printed: what printer, cutter "
            "and the sheet’s place did to it is in the marks, so nothing is corrected twice.",
            "The border that is left says how far the cut is beside, turned, longer or wider, and which calibration to "
            "look at. F6 prints another, to go again.",
        ),
        "border = ordered + (shift + turn × place + scale · place) along the outward normal",
        "docs/arithmetic.md, 9.",
    ),
    "media-feed": Page(
        "Media feed",
        (
            "Bands of the printer’s own feed test, each with a little more feed: too little overlaps in a dark line, "
            "too much leaves a light one. Click the band that just meets, or judge each.",
            "Where none meets, the answer says which way to go on, with the next range.",
            "The number belongs to the printer and the media. Print the test again with the new one: the middle meets.",
        ),
        "new = value in force + correction of the band that meets",
        "docs/arithmetic.md, 9.",
    ),
    "camera": Page(
        "Camera",
        (
            "The pen draws a cross. Bring the head where each line says, take a picture there: drop it, paste it, or "
            "have a folder watched. The cross is found by itself.",
            "A click means the cross nearby, with Shift that very place; arrow keys move by a pixel, ten with Shift.",
            "From three pictures on, the picture’s scale and turn and the camera’s offset follow; more say how well.",
        ),
        "matrix · (seen − middle) = −(off + move)",
        "Offset = camera − tool; docs/arithmetic.md, 9.",
    ),
    "second-tool": Page(
        "Second tool",
        (
            "The first tool marks a cross, the second draws a pair of lines astride each arm: the cut should run in "
            "the middle. Read the gap on either side; the picture and its words follow.",
            "Two scales tell more: the number of the pair that lines up, and where the long tick stands on the plain "
            "rule, which says the whole millimetres.",
            "The number belongs to the accessory that is in it: it is put back when that comes back.",
        ),
        "beside = (gap₊ − gap₋) ÷ 2, or pair · pitch ÷ divisions;  new offset = old + beside",
        "Offset = second − first; docs/arithmetic.md, 9.",
    ),
    "drag-blade": Page(
        "Blade row",
        (
            "Squares, each cut for a blade that trails a little more than the one before. Lift them out, look at the "
            "corners under a loupe: click the square whose corners close, or between two.",
            "Corners that come out unlike in pairs speak of play in one axis: put that right first. A start that stays "
            "open wants more overcut.",
            "The row brings its own offsets, so the plotter’s must stand at 0 while it is cut.",
        ),
        "trail = that of the square that closes",
        "docs/arithmetic.md, 9.",
    ),
    "kerf-square": Page(
        "Kerf",
        (
            "Cut the plate in the material and thickness that are wanted, and read it at its upper edges with the tips "
            "of the jaws. Outsides come out small and insides large by what the cut takes away.",
            "With play in the axes an outside wants more compensation than an inside: choose what must fit. Round "
            "holes that run small show beside the slot, and the file can take that off them.",
            "A wrong scale looks like kerf: prove X and Y steps first. Worn consumables widen the cut: change them "
            "before you measure.",
        ),
        "outside: c + (ordered − read); inside: c + (read − ordered)",
        "ISO 9013; docs/arithmetic.md, 8.",
    ),
    "focus-row": Page(
        "Focus row",
        (
            "Lines, each burnt with the lens a little higher than the one before. Where a beam is in focus its line is "
            "narrowest: click that one, or read the widths under a loupe.",
            "By eye the neighbours of the narrowest look alike: a pick is good to a step and a half. Widths tell more.",
        ),
        "width² = a + b·height + c·height²;  focus = −b ÷ 2c",
        "docs/arithmetic.md, 8.",
    ),
    "clean-cuts": Page(
        "Clean cuts",
        (
            "Squares, each with its own power and feed. Click those that fell out with clean edges; a second click "
            "takes it back. By keyboard: 1 and Enter for clean, 0 and Enter for not.",
            "Proposed is the fastest whose neighbours are clean as well, with the power in the middle of what is clean "
            "there: nothing then hangs on a hair. The dashed ring is what is set now.",
        ),
        "power: half way between the first and the last clean one at that feed",
        "docs/arithmetic.md, 8.",
    ),
    "kerf-ladder": Page(
        "Kerf ladder",
        (
            "One shape several times, each with a little more room for the cut than the one before, its number beside "
            "it. Read every size, or pick the one that fits; between two of them a click picks both.",
            "Sizes tell more than a pick: all of them together say where it comes right, even between two.",
        ),
        "right where ordered = read; outside: c + (ordered − read), inside: c + (read − ordered)",
        "docs/arithmetic.md, 8.",
    ),
    "kerf-comb": Page(
        "Kerf comb",
        (
            "Strips between parallel cuts in a window. Push all of them to one side and measure what is left free.",
            "The free room is one cut more than there are strips, so a narrow cut is read large: nothing depends on "
            "scale or play of the axes.",
        ),
        "kerf = free room ÷ (strips + 1)",
        "docs/arithmetic.md, 8.",
    ),
    "drive-train": Page(
        "Drive train",
        (
            "Type what is stamped on motor, gear and screw, belt, rack or roller, or count it. Steps per unit follow, "
            "with what each position of the microstep switch would mean.",
            "Fewer microsteps cost resolution and gain speed and torque; a step finer than a sixteenth is seldom held.",
            "This is a starting value: parts are good to some mm per metre, and a round refines it.",
        ),
        "steps per mm = steps per turn × reduction ÷ travel per turn",
        "docs/arithmetic.md, 4.",
    ),
    "travel-run": Page(
        "Travel run",
        (
            "The axis stops at targets going up and coming back; type what the rule shows at each. Where the rule’s "
            "zero lies is no matter. Above the rule stand the readings going up, below it those coming back.",
            "The slope of the deviations is the scale, the gap between both directions the lost motion. A bend, a wave "
            "or a jump is no wrong number, and is said in words.",
            "Five cycles both ways give figures that may be called ISO 230-2’s; fewer are estimates.",
        ),
        "reading = a + (1 + s)·p − (B ÷ 2)·direction",
        "ISO 230-2; docs/arithmetic.md, 5.",
    ),
    "backlash": Page(
        "Backlash",
        (
            "Take up the slack moving +, zero the dial, move out and back: by how much the needle stays short of zero "
            "is the lost motion still uncompensated. Past zero is −: then the compensation is too large.",
            "Drag the needle, press the up and down arrow keys for a division, or type.",
        ),
        "new = old + shortfall, never below 0",
        "docs/arithmetic.md, 5.",
    ),
    "squareness": Page(
        "Squareness",
        (
            "Sides and both diagonals of a rectangle, or four diameters of a circle. Diagonal 1 runs from the "
            "corner with the dot to the far one.",
            "The longer diagonal shows which way Y leans. On a gantry driven at both ends one end is moved: say in the "
            "machine’s form how far apart its drives are and along which axis it runs.",
        ),
        "new = old − w × (D₁² − D₂²) ÷ (4 a b)",
        "docs/arithmetic.md, 6.",
    ),
    "home": Page(
        "Home offset",
        ("Lines meant to lie a stated distance from the stock’s edges lie elsewhere: the difference is the offset’s.",),
        "new = old + (meant − measured); minus from a high edge",
        "docs/arithmetic.md, 6.",
    ),
    "bed": Page(
        "Bed and head",
        (
            "Walk the points in the order shown and type each height; zero the gauge at the first. Blue is low, orange "
            "is high.",
            "A tilt can be shimmed out; what is left then has to be skimmed off.",
            "For the head, swing the dial to the four sides: a larger reading is a smaller gap.",
        ),
        "skim = highest − lowest;  head: tilt = (high − low) ÷ 2R",
        "docs/arithmetic.md, 6.",
    ),
    "speed": Page(
        "Fastest feed",
        (
            "Each rung runs out and back faster than the one before. Type by how much it misses "
            "its mark, 0 where it doesn’t.",
        ),
        "safe feed = share × highest clean rung;  a run reaches v where it is at least v² ÷ a long",
        "docs/arithmetic.md, 7.",
    ),
    "reference-lines": Page(
        "Reference lines",
        ("The machine marks its own bed. A rule on the lines tells later whether steps have changed.",),
        "s = measured ÷ ordered − 1",
        "docs/arithmetic.md, 4.",
    ),
}
