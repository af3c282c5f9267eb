"""What the procedures are called, and the first words of what each asks for."""

from __future__ import annotations

from importlib import import_module

from keen_compass.procedures import REGISTRY
from keen_compass.words.texts import About

TITLES: dict[str, tuple[str, str]] = {
    "drive-train": ("Drive train", "Count the parts: a starting value"),
    "rectangle": ("X and Y steps", "Cut and measure a stepped outline"),
    "backlash": ("Backlash", "One dial, out and back"),
    "travel-run": ("Travel run", "Read a rule along the axis, up and back"),
    "squareness": ("Squareness", "Draw a rectangle and measure its diagonals"),
    "home": ("Home offset", "Draw two lines near a corner of the stock"),
    "bed": ("Bed and head", "Read a dial over the bed"),
    "speed": ("Fastest feed", "Run out and back, faster and faster"),
    "focus-row": ("Focus row", "Burn lines at rising focus, find the narrowest"),
    "clean-cuts": ("Clean cuts", "Cut squares at power against feed, mark the clean ones"),
    "kerf-square": ("Kerf", "Cut a small plate and measure it"),
    "kerf-ladder": ("Kerf ladder", "Cut one shape with rising kerf compensation, find the one that fits"),
    "kerf-comb": ("Kerf comb", "Cut strips, push them together, measure what is free"),
    "bevel": ("Bevel", "Read a part above and below"),
    "pointer": ("Pointer to tool", "Aim at marks, draw beside them, see where it landed"),
    "registration": ("Registration", "Find the marks of a print, see how it lies"),
    "second-tool": ("Second tool", "Mark with one tool, draw astride it with the other, read the gaps"),
    "camera": ("Camera", "Draw a cross, take pictures of it from several places"),
    "print-scale": ("Print scale", "Cut ticks over a printed sheet, measure how far apart they are"),
    "proof": ("Proof job", "Print a sticker, cut it where it was printed, read the border that is left"),
    "media-feed": ("Media feed", "Print bands with more and more feed, find the one that meets"),
    "drag-blade": ("Blade row", "Cut squares for a blade that trails more and more, find the one that closes"),
    "reference-lines": ("Reference lines", "Mark the bed, check it later with a rule"),
}


def title(procedure: str) -> str:
    """What it is called."""
    return TITLES[procedure][0]


def does(procedure: str) -> str:
    """The first words of what it asks for."""
    return TITLES[procedure][1]


def about(procedure: str) -> About:
    """What is about it."""
    module = import_module(f"keen_compass.words.texts.{REGISTRY[procedure].module}")
    found: About = module.ABOUT
    return found
