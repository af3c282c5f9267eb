"""The two languages of our own practice controllers, tried where nobody gave a profile; examples of what one says."""

from __future__ import annotations

from keen_compass.machines.dialect import Dialect

TEXT = Dialect(
    "practice text",
    hello="hello",
    greeting="quay text {n} ready",
    ask_listing="list",
    set_value="set {key} = {value}",
    ask_position="where",
    position="at X{x} Y{y} Z{z}",
    jog="jog {axis}{distance} F{feed}",
    stop="\\x1b",
    hold="\\x13",
    go_on="\\x11",
    acknowledged="done",
    refused="no: {why}",
    alarm="halt: {why}",
    alive="where",
    reset="reset",
)
PLOTTER = Dialect(
    "practice plotter",
    hello="OI",
    greeting="QUAY-PLOT {n}",
    ask_listing="OZ",
    listing_ends=".",
    set_value="ZS{key},{value}",
    ask_position="OA",
    position="{x},{y},{n}",
    per_mm=40.0,
    jog="PU;PR{dx},{dy};PA",
    stop="\\x1b.K",
    acknowledged="16",
    refused="48",
    ask_why="OE",
    alarm="112",
    sync="OS",
    group=8,
    alive="\\x1b.O",
    idle="0",
    reset="IN",
    ends=";",
    baud=9600,
)
PRACTICE = (TEXT, PLOTTER)
