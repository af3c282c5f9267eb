"""What there is to choose from: where readings are given, what is made, its stages, the steps of a round."""

from __future__ import annotations

from enum import StrEnum


class Surface(StrEnum):
    """Where readings are given."""

    CALLOUTS = "callouts"
    RULE = "rule"
    DIAL = "dial"
    GRID = "grid"
    LADDER = "ladder"
    CHAIN = "chain"
    ROW = "row"
    CELLS = "cells"
    BANDS = "bands"  # of a printer's feed test
    PICTURES = "pictures"  # pictures that were taken, with what was found in them
    ASTRIDE = "astride"  # what two tools left beside one another
    CORNERS = "corners"  # squares whose corners are cut short, close or run over
    MATCH = "match"  # what was made beside a mark, to scale
    OVERPRINT = "overprint"  # distances cut over a printed sheet, and what was cut beside its crosses
    BORDERS = "borders"  # a sticker with the border that is left of it
    MARKS = "marks"  # a sheet with its marks, and where they were found


class Makes(StrEnum):
    """What its Make step makes."""

    PIECE = "piece"  # cut or drawn on the stock, at a place of its own
    MOVES = "moves"  # the axes move and wait to be read; nothing is cut
    SHEET = "sheet"  # printed, loaded, aimed at, drawn on: stage by stage
    PRINT = "print"  # a test that the printer makes by itself; no file of ours
    NOTHING = "nothing"


class Stage(StrEnum):
    """The stages in which a sheet is made."""

    ARTWORK = "artwork"
    PRINT = "print"
    LOAD = "load"
    AIM = "aim"
    DRAW = "draw"


class Step(StrEnum):
    """The steps of a round."""

    MAKE = "make"
    MEASURE = "measure"
    CORRECT = "correct"
    CONFIRM = "confirm"


SHEET_STAGES = (Stage.PRINT, Stage.LOAD, Stage.AIM, Stage.DRAW)  # of a sheet that is our own
ALL_STEPS = tuple(Step)
