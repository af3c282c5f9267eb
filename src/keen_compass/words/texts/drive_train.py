"""The parts of a drive train."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.words.say import Text, say
from keen_compass.words.texts import About

ABOUT = About(
    needs=("what is stamped on motor, gear and screw, belt, rack or roller",),
    piece="no piece: the parts are counted",
    lookalikes=(
        "A driver’s switch set differently from what you think makes everything wrong by 2, 4 or 8 times.",
        "A screw of two or four starts travels two or four pitches in a turn.",
    ),
)
TEXTS: dict[str, Text] = {
    "motor": "Motor",
    "driven_by": "Driven by",
    "motor_stepper": "stepper",
    "motor_encoder": "encoder",
    "drive_belt": "belt",
    "drive_screw": "screw",
    "drive_screw_tpi": "screw, TPI",
    "drive_rack": "rack",
    "drive_helical_rack": "helical rack",
    "drive_roller": "feed roller",
    "step_angle": "step angle",
    "microsteps": "microsteps",
    "counts": "counts per turn",
    "electronic_ratio": "electronic ratio",
    "reduction": "gear reduction",
    "pitch": "pitch",
    "threads_per_inch": "threads per inch",
    "starts": "starts",
    "belt_pitch": "belt pitch",
    "module": "module",
    "teeth": "teeth",
    "helix_angle": "helix angle",
    "diameter": "roller diameter",
    "media": "media thickness",
    "how_step_angle": "On the motor’s plate",
    "how_microsteps": "As the driver’s switch is actually set",
    "how_counts": "Of the encoder, all four edges counted",
    "how_electronic_ratio": "What the drive multiplies counts by",
    "how_reduction": "Motor turns for one turn behind the gear; 1 without a gear",
    "how_pitch": "From one thread to the next, not the lead",
    "how_threads_per_inch": "Count them over an inch",
    "how_starts": "Look at the screw’s end: how many threads begin there?",
    "how_belt_pitch": "From tooth to tooth",
    "how_module": "Normal module, on the rack or its drawing",
    "how_teeth": "Of pulley or pinion: count twice",
    "how_helix_angle": "Of the teeth against the rack’s width",
    "how_diameter": "Measured, not from a data sheet",
    "how_media": "Half of it counts towards the roller’s radius",
    "still_to_type": lambda v, show: tr(
        "Still to be typed: {parts}.", parts=", ".join(say(p, show) for p in v["parts"])
    ),
    "says_nothing_of_steps": "The parts give {steps:.4f} steps per mm; this controller keeps a {kept:word}, which doesn’t "
    "depend on steps.",
    "smallest_step": "Smallest step",
    "micrometres": lambda v, _: written(f"{v['mm'] * 1000:.2f} µm"),
    "step_rate": lambda v, show: (
        tr("Steps per second at {feed}", feed=show.feed(v["feed"]))
        + (tr(", {share:.0f} % of the limit", share=100 * v["share"]) if v["share"] is not None else "")
    ),
    "head_steps": "steps",
    "head_per_mm": "per mm",
    "head_each": "µm each",
    "head_of_limit": "of limit",
    "grey": "Grey: above the controller’s limit, or finer than a motor can hold.",
    "good_to": "Parts like these are accurate to ± {within:slope0}: refine it with a round.",
    "leave_the_rounds": "The parts agree with the measured number: keep it.",
    "controllers_is": "The controller’s number is {why:say}.",
    "as_measured": "{number}, as measured on {axis:up}",
    "same_parts": "The same parts as {axis:up}, whose measured number is {number} {unit}: copied here; check it with a "
    "round.",
}
