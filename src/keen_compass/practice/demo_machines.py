"""The machines of the demo shop: as they are entered, what they hide, what they are read with."""

from __future__ import annotations

from dataclasses import replace

from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.profile import Machine
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.standin.truth import Truth

START = {"x_steps": 106.667, "y_steps": 106.667, "z_steps": 320.0}
FEEDS = {"x_speed": 9600.0, "y_speed": 7200.0}
BELT = {"step_angle": 1.8, "microsteps": 32.0, "reduction": 1.0, "belt_pitch": 3.0, "teeth": 20.0}
SCREW = {"step_angle": 1.8, "microsteps": 8.0, "reduction": 1.0, "pitch": 5.0, "starts": 1.0}
SQUARE = Truth(
    motion={"x": 106.412, "y": 106.508, "z": 320.4},
    lost_motion={"x": 0.09, "y": 0.13, "z": 0.03},
    kerf=6.07,
    scatter=0.009,
    instrument_error=(0.35, -0.2),
    repeat=0.9,
    settle=0.003,
    skew=0.0014,
    gantry=1180.0,
    home={"x": 4.6, "y": 7.35},
    limits={"x": 11200.0, "y": 8300.0},
    acceleration=420.0,
    bed=(1.6e-4, -1.1e-4, 0.12),
    bed_size=(1300.0, 900.0),
    tram={"x": 0.42, "y": -0.31},
    parts={"x": BELT, "y": BELT, "z": SCREW},
    heads={"pointer": (-38.22, 12.74)},
)
AFTER_MOVE = replace(
    SQUARE,
    motion={"x": 106.318, "y": 106.587, "z": 320.4},
    lost_motion={"x": 0.16, "y": 0.13, "z": 0.03},
    skew=0.0026,
    tram={"x": 0.44, "y": 0.5},
    bed=(-1.9e-4, 0.9e-4, 0.06),
)
OFFSETS = tuple(f"{head}_{axis}" for head in ("pointer", "sensor", "second_tool") for axis in "xy")
HERON = Machine(
    uid="heron",
    name="Heron",
    kind=MachineKind.ROUTER,
    bed=(1300.0, 900.0),
    tolerances={"x_steps": 0.4, "y_steps": 0.4, "bed": 0.2, "squareness": 0.5},
    setting_keys={
        "x_steps": "X_STEPS_PER_MM",
        "y_steps": "Y_STEPS_PER_MM",
        "z_steps": "Z_STEPS_PER_MM",
        "x_backlash": "X_BACKLASH",
        "y_backlash": "Y_BACKLASH",
        "z_backlash": "Z_BACKLASH",
        "x_home": "X_HOME_OFFSET",
        "y_home": "Y_HOME_OFFSET",
        "x_speed": "X_FEED_MAX",
        "y_speed": "Y_FEED_MAX",
    },
    z_travel=90.0,
    gantry=1180.0,
    head="plate_low_y",
    step_limit=40_000.0,
    acceleration=420.0,
    takes_effect="Heron’s controller takes new numbers after it is switched off and on.",
    tools=(
        Tool("6 mm cutter", 6.0, uid="cutter-6"),
        Tool("3 mm cutter", 3.0, uid="cutter-3"),
        Tool("Pen in the spindle", 0.0, drawn=True, uid="spindle-pen"),
    ),
    stock=Stock("birch ply 9 mm", 9.0, 30.0, 30.0, 1240.0, 840.0, "birch-9"),
    scatter=(0.009, 24.0),
)
# The maker's chart of Ember: process, thickness and kerf in mm, feed in mm/min, height (mm) and time (s) of a pierce.
CHART = (
    ("45 A", 1.5, 1.3, 6200.0, 3.0, 0.1),
    ("45 A", 3.0, 1.5, 3900.0, 3.8, 0.3),
    ("45 A", 6.0, 1.7, 1800.0, 3.8, 0.5),
    ("45 A", 10.0, 1.9, 900.0, 3.8, 0.9),
    ("65 A", 6.0, 1.9, 2600.0, 4.0, 0.5),
    ("65 A", 10.0, 2.1, 1500.0, 4.0, 0.7),
    ("65 A", 16.0, 2.4, 700.0, 5.0, 1.2),
)
SWIFT = Machine(
    uid="swift",
    name="Swift",
    kind=MachineKind.KNIFE,
    bed=(8000.0, 630.0),
    standpoint=Standpoint("toward", "right"),
    units="in 1/64",
    form=ResolutionForm.PERCENT_100,
    decimals=2,
    tolerances={
        "x_steps": 1.0,
        "y_steps": 2.0,
        "x_backlash": 0.25,
        "y_backlash": 0.25,
        "squareness": 2.0,
        "tracking": 0.3,
    },
    setting_keys={
        "x_steps": "FEED SCALE",
        "y_steps": "CROSS SCALE",
        "x_backlash": "FEED PLAY",
        "y_backlash": "CROSS PLAY",
    },
    setting_line="{key}: {value} %",
    takes_effect="Swift takes new numbers at once.",
    tools=(
        Tool("Plotter pen", 0.0, drawn=True, uid="plotter-pen"),
        Tool("Drag knife", 0.0, drawn=True, uid="drag-knife", trails=True),
    ),
    stock=Stock("white vinyl roll", 0.1, 0.0, 15.0, 1600.0, 600.0, "vinyl-white"),
    scatter=(0.04, 14.0),
    heads=("pointer", "sensor", "camera"),
)
KINGFISHER = Machine(
    uid="kingfisher",
    name="Kingfisher",
    kind=MachineKind.PRINT_AND_CUT,
    bed=(720.0, 3000.0),
    standpoint=Standpoint("right", "toward"),
    form=ResolutionForm.PAIR,
    tolerances={"x_steps": 1.0, "y_steps": 1.0, "sensor_x": 0.3, "sensor_y": 0.3},
    setting_keys={"x_steps": "ACROSS", "y_steps": "ALONG"},
    setting_line="{key} {value}",
    takes_effect="Kingfisher asks to be homed after a change.",
    tools=(Tool("Pen holder", 0.0, drawn=True, uid="pen-holder"),),
    fittings=(
        Fitting("accessory", "Felt pen", "felt-pen", (31.5, 0.5)),
        Fitting("accessory", "Scoring tip", "scoring-tip", (31.5, 0.0)),
        Fitting("printer", "Roll printer", "roll-printer"),
        Fitting("carrier", "Tack mat", "tack-mat"),
        Fitting("carrier", "Stiff mat", "stiff-mat"),
    ),
    fitted={"accessory": "felt-pen", "printer": "roll-printer", "carrier": "tack-mat"},
    stock=Stock("display film", 0.2, 10.0, 0.0, 700.0, 1200.0, "display-film"),
    file="svg",
    heads=("pointer", "sensor", "second_tool"),
    decimals_of=dict.fromkeys(OFFSETS, 2),
)
KINGFISHER_TRUTH = Truth(
    motion={"x": 1.00042, "y": 0.99931},
    lost_motion={"x": 0.02, "y": 0.03},
    kerf=0.0,
    scatter=0.04,
    instrument_error=(0.3, -0.2),
    repeat=0.4,
    settle=0.01,
    skew=0.0002,
    gantry=700.0,
    feed_axis="y",
    drift=0.012,
    slip=0.01,
    bed_size=(720.0, 3000.0),
    heads={
        "pointer": (-31.42, 18.66),
        "sensor": (24.85, 6.1),
        "second_tool felt-pen": (31.18, 0.86),
        "second_tool scoring-tip": (31.74, -0.22),
    },
    printer=(0.0011, -0.0006, 0.0002),
    left_handed=True,
    fed=0.23,
    carriers={"tack-mat": (0.0018, -0.0026), "stiff-mat": (-0.0009, 0.0031)},
)
STEEL = {t: Stock("steel", t, 20.0, 20.0, 1460.0, 960.0, f"steel-{t:g}") for t in (3.0, 6.0, 10.0)}
EMBER = Machine(
    uid="ember",
    name="Ember",
    kind=MachineKind.PLASMA,
    bed=(1500.0, 1000.0),
    tolerances={"x_steps": 0.6, "y_steps": 0.6, "kerf": 0.12, "hole_bias": 0.15, "bevel": 0.6},
    setting_keys={
        "x_steps": "AXIS_X_STEPS",
        "y_steps": "AXIS_Y_STEPS",
        "x_backlash": "AXIS_X_PLAY",
        "y_backlash": "AXIS_Y_PLAY",
        "kerf": "CUT_HALF_WIDTH",
        "x_home": "HOME_X",
        "y_home": "HOME_Y",
        "x_speed": "AXIS_X_FEED",
        "y_speed": "AXIS_Y_FEED",
    },
    takes_effect="Ember takes a new kerf with the next file, all else after a restart.",
    tools=(Tool("1.1 mm nozzle", 1.6, uid="nozzle-11"),),
    stock=STEEL[6.0],
    scatter=(0.02, 16.0),
    feed=1800.0,
    gives_room="controller",
    kerf_form="half",
    process="45 A",
)
EMBER_TRUTH = Truth(
    motion={"x": 80.031, "y": 79.977},
    lost_motion={"x": 0.05, "y": 0.06},
    kerf=1.71,
    scatter=0.02,
    instrument_error=(0.25, 0.3),
    repeat=0.8,
    thickness=6.0,
    settle=0.01,
    skew=0.0003,
    gantry=1500.0,
    home={"x": 5.0, "y": 5.0},
    limits={"x": 14000.0, "y": 14000.0},
    bed_size=(1500.0, 1000.0),
    hole_bias=-0.24,
    bevel=0.022,
    bad_side=0.05,
    leans_on_arcs=4.0,
    heat=1e-4,
    kerf_per_mm=0.055,
    kerf_form="half",
    thermal="plasma",
    wear=2.2e-4,
)
MACRO = """; brings the tool to where the pointer is
G91
G0 X38.300 Y-12.800
G90
G92 X0 Y0
"""
MACRO_HOLDS = {"x": "38.300", "y": "-12.800"}  # as it is in the macro
INSTRUMENTS = (
    Instrument(
        "Long caliper 600 mm", 0.01, (0.01, 0.00001), reach=600.0, uid="caliper-600", repeats=Repeatability(0.009, 22.0)
    ),
    Instrument("Steel rule 1 m", 0.5, (0.1, 0.00005), both_ends=True, reach=1000.0, uid="rule-1000", kind="steel rule"),
    Instrument(
        "Inch rule 60 in",
        25.4 / 64,
        (0.1, 0.00005),
        both_ends=True,
        unit="in",
        reach=1524.0,
        uid="rule-60in",
        kind="steel rule",
        repeats=Repeatability(0.15, 22.0),
    ),
    Instrument(
        "Dial 0.01 mm",
        0.01,
        (0.008, 0.0),
        reach=10.0,
        uid="dial",
        kind="dial gauge",
        repeats=Repeatability(0.006, 30.0),
    ),
    Instrument("Depth gauge 150 mm", 0.01, (0.02, 0.0), reach=150.0, uid="depth-gauge", kind="depth gauge"),
    Instrument(
        "Glass scale 1.2 m",
        0.05,
        (0.02, 0.00002),
        reach=1200.0,
        uid="glass-scale",
        kind="steel rule",
        repeats=Repeatability(0.03, 16.0),
    ),
)
