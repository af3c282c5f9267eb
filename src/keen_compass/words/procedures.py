"""What the procedures are called, and the first words of what each asks for."""

from __future__ import annotations

from importlib import import_module

from keen_compass.language import marked, tr
from keen_compass.procedures import REGISTRY
from keen_compass.procedures.stages import Step
from keen_compass.words.texts import About

TITLES: dict[str, tuple[str, str]] = {
    "drive-train": (marked("Drive train"), marked("Count the parts: a starting value")),
    "rectangle": (marked("X and Y steps"), marked("Cut and measure a stepped outline")),
    "backlash": (marked("Backlash"), marked("One dial, out and back")),
    "travel-run": (marked("Travel run"), marked("Read a rule along the axis, up and back")),
    "squareness": (marked("Squareness"), marked("Draw a rectangle and measure its diagonals")),
    "home": (marked("Home offset"), marked("Draw two lines near a corner of the stock")),
    "bed": (marked("Bed and head"), marked("Read a dial over the bed")),
    "speed": (marked("Fastest feed"), marked("Run out and back, faster and faster")),
    "focus-row": (marked("Focus row"), marked("Burn lines at rising focus, find the narrowest")),
    "clean-cuts": (marked("Clean cuts"), marked("Cut squares at power against feed, mark the clean ones")),
    "kerf-square": (marked("Kerf"), marked("Cut a small plate and measure it")),
    "kerf-ladder": (
        marked("Kerf ladder"),
        marked("Cut one shape with rising kerf compensation, find the one that fits"),
    ),
    "kerf-comb": (marked("Kerf comb"), marked("Cut strips, push them together, measure what is free")),
    "bevel": (marked("Bevel"), marked("Read a part above and below")),
    "pointer": (marked("Pointer to tool"), marked("Aim at marks, draw beside them, see where it landed")),
    "registration": (marked("Registration"), marked("Find the marks of a print, see how it lies")),
    "second-tool": (marked("Second tool"), marked("Mark with one tool, draw astride it with the other, read the gaps")),
    "camera": (marked("Camera"), marked("Draw a cross, take pictures of it from several places")),
    "print-scale": (marked("Print scale"), marked("Cut ticks over a printed sheet, measure how far apart they are")),
    "proof": (
        marked("Proof job"),
        marked("Print a sticker, cut it where it was printed, read the border that is left"),
    ),
    "media-feed": (marked("Media feed"), marked("Print bands with more and more feed, find the one that meets")),
    "drag-blade": (
        marked("Blade row"),
        marked("Cut squares for a blade that trails more and more, find the one that closes"),
    ),
    "reference-lines": (marked("Reference lines"), marked("Mark the bed, check it later with a rule")),
}

STEPS = {
    Step.MAKE: marked("Make"),
    Step.MEASURE: marked("Measure"),
    Step.CORRECT: marked("Correct"),
    Step.CONFIRM: marked("Confirm"),
}


def title(procedure: str) -> str:
    """What it is called."""
    return tr(TITLES[procedure][0])


def does(procedure: str) -> str:
    """The first words of what it asks for."""
    return tr(TITLES[procedure][1])


def about(procedure: str) -> About:
    """What is about it."""
    module = import_module(f"keen_compass.words.texts.{REGISTRY[procedure].module}")
    found: About = module.ABOUT
    return found


def step_name(step: str) -> str:
    """A step of a round: ``Make``."""
    return tr(STEPS[Step(step)])
