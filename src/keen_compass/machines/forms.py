"""What is typed into the forms for machines and instruments, understood field by field.

Every field is text. Reading a form gives the profile, or a complaint for each field that is wrong;
nothing is kept until all of it is right.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from keen_compass.language import marked, tr
from keen_compass.machines.fitted import Fitting, Stock, Tool, new_uid
from keen_compass.machines.form_reader import (
    FormReader,
    digits_shown,
    file_for,
    held,
    read_heads,
    read_setting_line,
    read_tolerance,
    recommended,
    show_tolerance,
)
from keen_compass.machines.limits import BED, FITTINGS, LIMITS, OFFSET_FORMS, THICKNESS, WIDEST_TOOL
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import length_unit, show_length
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import AIMED_WITH, Lives
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import parse_length, plain_number, trim_number
from keen_compass.quantities.rates import ACCELERATIONS, FEEDS, show_rate
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import SIZE, StoredValue, unit_kept

FINE = {"mm": 4, "in": 5, "mm/min": 0, "in/min": 2}  # decimals that a number is turned into another unit with
CUTS, DRAWS, TRAILS = (
    marked("cuts"),
    marked("draws or scribes"),
    marked("cuts, a blade that trails"),
)  # what a tool does, beside "cuts"
LONGEST_FITTING = 60  # letters of its name
MOST_PROCESS = 80  # letters
HEIGHTS = ("depth_per_pass", "pierce_height", "cut_height")
RATES = {"feed": FEEDS, "plunge_feed": FEEDS, "acceleration": ACCELERATIONS}
CUTTING = ("spindle_rpm", "pierce_delay", "power")  # plain numbers
DAYS_PER_MONTH = 30.5


def in_controller() -> tuple[str, ...]:
    """Quantities whose number has a name of its own in a controller; what else has a tolerance is set by hand."""
    return tuple(name for name, q in QUANTITIES.items() if q.in_controller)


def judged() -> tuple[str, ...]:
    """Quantities that have a tolerance."""
    return tuple(name for name, q in QUANTITIES.items() if q.lives not in (Lives.COMPUTED, Lives.READ))


def usual_machine(kind: MachineKind) -> Machine:
    """A new machine of a kind, as most of them are: what one begins with."""
    if kind.plots:
        media = Stock(tr("white film"), 0.1, 0.0, 0.0, 600.0, 2000.0)
        return Machine(
            "",
            tr("New machine"),
            kind,
            (600.0, 5000.0),
            tools=(Tool(tr("pen"), 0.0, drawn=True),),
            stock=media,
            form=ResolutionForm.PERCENT_100,
        )
    if kind.thermal:
        tool = Tool(tr("nozzle"), 1.1) if kind is MachineKind.PLASMA else Tool(tr("lens"), 0.2)
        sheet = Stock(tr("steel"), 3.0, 0.0, 0.0, 1500.0, 1000.0)
        return Machine("", tr("New machine"), kind, (1500.0, 1000.0), tools=(tool,), stock=sheet)
    return Machine("", tr("New machine"), kind, (1200.0, 800.0), tools=(Tool(tr("6 mm cutter"), 6.0),))


def _with_fittings(base: Machine | None, now: Sequence[Fitting]) -> tuple[tuple[Fitting, ...], dict[str, str]]:
    """(all that may be fitted, what is of each kind) with these in their places; one of the same name is that, put
    right, another one is new."""
    known, fitted = list(base.fittings if base else ()), {}
    for one in now:
        at = next((i for i, f in enumerate(known) if (f.kind, f.name) == (one.kind, one.name)), len(known))
        uid = known[at].uid if at < len(known) else new_uid()
        known[at : at + 1] = [replace(one, uid=uid)]
        fitted[one.kind] = uid
    return tuple(known), fitted


def absent_from(kind: MachineKind, gives_room: str = "file", heads: str = "", *, trails: bool = False) -> set[str]:
    """Fields of the form that a machine of this kind has no use for; gives_room, heads: as the form has them. trails:
    one of its tools is a blade that does.
    """
    usual = replace(usual_machine(kind), heads=read_heads(heads))
    has = {*usual.quantities, *(replace(usual, z_travel=50.0).quantities if not kind.plots else ())}
    has |= {"drag"} if trails and kind.plots else set()
    lacking = set(judged()) - has
    absent = {*lacking, *(f"tolerance_{q}" for q in lacking), *(f"flipped_{q}" for q in lacking)}
    if not heads:
        absent |= {"offset_form", "accessory", "accessory_x", "accessory_y"}
    if kind is not MachineKind.PRINT_AND_CUT:
        absent |= {"printer", "carrier", "print_form"}
    if kind.plots:
        absent |= {"z_travel", "gantry", "gantry_along", "head", "acceleration", "bed_x", "bed_y"}
    else:
        absent |= {"file", "units_per_mm", "feeds_along", "roll_width", "roll_length"}
    if not kind.thermal:
        absent |= {"process", "pierce_delay"}
    if kind is not MachineKind.PLASMA:
        absent |= {"pierce_height", "cut_height"}
    if kind is not MachineKind.LASER:
        absent |= {"power", "focus"}
    if kind is not MachineKind.ROUTER:
        absent |= {"head", "plunge_feed", "depth_per_pass", "spindle_rpm"}
    return absent | ({"gives_room", "kerf_form", "wear"} if kind.plots else _not_asked(gives_room))


def _not_asked(gives_room: str) -> set[str]:
    """What no controller keeps has no name there."""
    return {"key_hole_bias"} | ({"key_kerf", "kerf_form"} if gives_room == "file" else set())


def machine_fields(machine: Machine | None, values: Mapping[str, StoredValue]) -> dict[str, str]:
    """The form's fields for a machine, or for a new one."""
    m = machine or usual_machine(MachineKind.ROUTER)
    tool = m.tool or Tool(tr("pen"), 0.0, drawn=True)
    stock = m.stock or Stock("board", 9.0, 0.0, 0.0, *m.bed)
    fields = {
        "name": m.name if machine else "",
        "kind": m.kind,
        "units": m.units,
        "bed_x": show_length(m.bed[0], m.units),
        "bed_y": show_length(m.bed[1], m.units),
        "controller_units": m.controller_units,
        "file": m.file,
        "form": m.form.value,
        "decimals": str(m.decimals),
        "setting_line": m.setting_line,
        "takes_effect": m.takes_effect,
        "units_per_mm": trim_number(m.units_per_mm, 4),
        "due_months": f"{m.due_days / DAYS_PER_MONTH:.0f}",
        "reference_length": show_length(m.reference_length, m.units),
        "tool": tool.name,
        "tool_width": show_length(tool.diameter, m.units),
        "tool_marks": TRAILS if tool.trails else DRAWS if tool.drawn else CUTS,
        "stock": stock.name,
        "stock_thickness": show_length(stock.thickness, m.units),
        "stock_x": show_length(stock.width, m.units),
        "stock_y": show_length(stock.height, m.units),
        "z_travel": show_length(m.z_travel, m.units),
        "gantry": show_length(m.gantry, m.units),
        "gantry_along": m.gantry_along,
        "head": m.head,
        "process": m.process,
        "heads": ", ".join(h for h in m.heads if h in AIMED_WITH),
        "offset_form": m.offset_form,
        "print_form": m.print_form.value,
        "heads_more": ", ".join(h for h in m.heads if h not in AIMED_WITH),
        **{kind: f.name if (f := m.fitting(kind)) else "" for kind in FITTINGS},
        **_accessory_offset(m),
        "gives_room": m.gives_room,
        "kerf_form": m.kerf_form,
        "wear": m.wear_counted,
        **{name: show_length(getattr(m, name), m.units) for name in HEIGHTS},
        **{name: trim_number(getattr(m, name), 3) for name in CUTTING},
        **{name: show_rate(getattr(m, name), rates, m.units, 5) for name, rates in RATES.items()},
        "focus": show_length(m.focus, "mm" if m.units == "mm" else "in"),
        "step_limit": f"{m.step_limit:g}" if m.step_limit else "",
    }
    along = "x" if m.bed[0] >= m.bed[1] else "y"
    fields |= {"feeds_along": along, "roll_length": fields[f"bed_{along}"]}
    fields["roll_width"] = fields["bed_y" if along == "x" else "bed_x"]
    for q in in_controller():
        place = m.place(q)
        fields[q] = place.text(values[q]) if q in values else ""
        fields[f"key_{q}"] = place.key
        fields[f"flipped_{q}"] = "other" if q in m.flipped else "same"
    for q in judged():
        fields[f"tolerance_{q}"] = show_tolerance(m, q)
    return fields


def _accessory_offset(machine: Machine) -> dict[str, str]:
    fitted = machine.fitting("accessory")
    offset = fitted.offset if fitted else None
    return {f"accessory_{a}": show_length(offset[i], machine.units) if offset else "" for i, a in enumerate("xy")}


def read_machine(
    fields: Mapping[str, str], standpoint: Standpoint, base: Machine | None
) -> tuple[Machine | None, dict[str, StoredValue], dict[str, str]]:
    """(profile, the controller's numbers, complaints by field); no profile where there are complaints."""
    turn = _roll_as_bed(fields)
    reader = FormReader({**fields, **{bed: fields[name] for bed, name in turn.items()}})
    machine = _profile(reader, fields, standpoint, base)
    stored: dict[str, StoredValue] = {}
    for q in in_controller():
        value = reader.take(q, lambda text, q=q: held(machine.place(q), text), None)  # type: ignore[misc]
        if value is not None:
            stored[q] = value
    wrong = {turn.get(name, name): words for name, words in reader.complaints.items()}
    return (None if wrong else machine), stored, wrong


def _roll_as_bed(fields: Mapping[str, str]) -> dict[str, str]:
    """Of a plotter that was asked for as its technician has it: the bed's fields, each with the one that was typed."""
    if not MachineKind(fields.get("kind", "router")).plots or "roll_width" not in fields:
        return {}
    along = fields.get("feeds_along", "y")
    return {f"bed_{along}": "roll_length", "bed_y" if along == "x" else "bed_x": "roll_width"}


def _profile(reader: FormReader, fields: Mapping[str, str], standpoint: Standpoint, base: Machine | None) -> Machine:
    """Of what was typed; what was wrong is among the reader's complaints."""
    units = fields.get("units", "mm")
    unit = length_unit(units)
    decimals = round(reader.number("decimals", *LIMITS["decimals"]))
    drawn = fields.get("tool_marks", "") != CUTS
    width = reader.length("tool_width", unit, zero=drawn, limits=(0.0, WIDEST_TOOL))
    tools = _with_tool(base, Tool(reader.words("tool"), width, drawn, trails=fields.get("tool_marks") == TRAILS))
    bed = (reader.length("bed_x", unit, limits=BED), reader.length("bed_y", unit, limits=BED))
    stock = _stock(reader, unit, bed)
    fittings, fitted = _fittings(reader, fields, unit, base)
    line = reader.take("setting_line", read_setting_line, "{key} = {value}")
    kind = MachineKind(fields.get("kind", "router"))
    takes = reader.take("file", lambda text: file_for(text, kind), "")
    return replace(
        base or Machine(new_uid(), "new", MachineKind.ROUTER, (1.0, 1.0)),
        name=reader.words("name", 40),
        kind=kind,
        file=takes,
        units=units,
        bed=bed,
        standpoint=standpoint,
        form=ResolutionForm(fields.get("form", ResolutionForm.STEPS_PER_MM)),
        controller_units=fields.get("controller_units", "mm"),
        setting_line=line,
        decimals=decimals,
        decimals_of={q: n for q in in_controller() if (n := digits_shown(fields.get(q, ""))) > decimals},
        takes_effect=fields.get("takes_effect", "").strip(),
        process=fields.get("process", "").strip()[:MOST_PROCESS],
        units_per_mm=reader.number("units_per_mm", 1, 10_000),
        due_days=round(reader.number("due_months", 1, 120) * DAYS_PER_MONTH),
        reference_length=reader.length("reference_length", unit, limits=LIMITS["reference_length"]),
        tolerances={q: read_tolerance(reader, q, unit) for q in judged()},
        setting_keys={q: reader.words(f"key_{q}") for q in in_controller()},
        flipped=tuple(q for q in in_controller() if fields.get(f"flipped_{q}") == "other"),
        z_travel=reader.length("z_travel", unit, zero=True, limits=LIMITS["z_travel"]),
        gantry=reader.length("gantry", unit, zero=True, limits=LIMITS["gantry"]),
        gantry_along=fields.get("gantry_along", "y"),
        head=fields.get("head", ""),
        step_limit=reader.number("step_limit", 0, 1e8) if fields.get("step_limit", "").strip() else 0.0,
        acceleration=reader.rate("acceleration", ACCELERATIONS, unit, LIMITS["acceleration"]),
        tools=tools,
        mounted=tools[0].uid,
        fittings=fittings,
        fitted=fitted,
        stock=_keep_place(stock, base, units),
        heads=read_heads(f"{fields.get('heads', '')}, {fields.get('heads_more', '')}"),
        offset_form=fields.get("offset_form", OFFSET_FORMS[0]),
        print_form=ResolutionForm(fields.get("print_form", ResolutionForm.PERCENT_100)),
        gives_room=fields.get("gives_room", "file"),
        kerf_form=fields.get("kerf_form", "full"),
        wear=fields.get("wear", ""),
        **_cutting(reader, unit),
    )


def _stock(reader: FormReader, unit: str, bed: tuple[float, float]) -> Stock:
    """What is loaded, no larger than the bed."""
    stock = Stock(
        reader.words("stock"),
        reader.length("stock_thickness", unit, limits=THICKNESS),
        0.0,
        0.0,
        reader.length("stock_x", unit, limits=BED),
        reader.length("stock_y", unit, limits=BED),
    )
    for name, size, room in (("stock_x", stock.width, bed[0]), ("stock_y", stock.height, bed[1])):
        if not {name, name.replace("stock", "bed")} & reader.complaints.keys() and size > room:
            reader.complaints[name] = "larger than the bed"
    return stock


def _fittings(
    reader: FormReader, fields: Mapping[str, str], unit: str, base: Machine | None
) -> tuple[tuple[Fitting, ...], dict[str, str]]:
    """(all that may be fitted, what is of each kind), by the names that were typed."""
    offset = recommended(reader, unit)
    named = {k: fields.get(k, "").strip()[:LONGEST_FITTING] for k in FITTINGS}
    return _with_fittings(
        base, [Fitting(k, name, offset=offset if k == "accessory" else None) for k, name in named.items() if name]
    )


def _cutting(reader: FormReader, unit: str) -> JsonObject:
    """The fields that say how a machine cuts."""
    lengths = {name: reader.length(name, unit, limits=LIMITS[name], zero=not LIMITS[name][0]) for name in HEIGHTS}
    numbers = {name: reader.number(name, *LIMITS[name]) for name in CUTTING}
    feeds = {name: reader.rate(name, FEEDS, unit, LIMITS[name]) for name in RATES if name != "acceleration"}
    focus = reader.signed_length("focus", unit, LIMITS["focus"])
    return {**lengths, **numbers, **feeds, "focus": focus, "spindle_rpm": round(numbers["spindle_rpm"])}


def turned(fields: Mapping[str, str], was: str, now: str) -> dict[str, str]:
    """The controller's amounts in its other unit, by field; what can't be read stays as it was typed."""
    found = {}
    for q in in_controller():
        if QUANTITIES[q].lives is Lives.NUMBER and fields.get(q, "").strip():
            try:
                value = plain_number(fields[q])
            except ValueError:
                continue
            base = value * SIZE[unit_kept(q, was)]
            unit = unit_kept(q, now)
            found[q] = trim_number(base / SIZE[unit], FINE[unit])
    return found


def _with_tool(base: Machine | None, tool: Tool) -> tuple[Tool, ...]:
    """The machine's tools with the one that is mounted now in front.

    Of the same name or the same diameter it is the one that was mounted, put right; else it is another one.
    """
    before, mounted = (base.tools, base.tool) if base else ((), None)
    for old in (mounted, *before):
        if old and (old.name == tool.name or (old is mounted and old.diameter == tool.diameter)):
            return (replace(tool, uid=old.uid), *(t for t in before if t.uid != old.uid))
    return (replace(tool, uid=new_uid()), *before)


def _as_shown(mm: float, units: str) -> float:
    """A length as the form reads it back where it wasn't touched."""
    return parse_length(show_length(mm, units), length_unit(units)).mm


def _keep_place(stock: Stock, base: Machine | None, units: str) -> Stock:
    """A sheet of the same size lies where it lay; the same material in the same thickness is the same stock."""
    before = base.stock if base else None
    if before and before.name == stock.name and stock.thickness == _as_shown(before.thickness, units):
        stock = replace(stock, thickness=before.thickness, uid=before.uid)  # shown in inches it is only nearly that
    if before and (before.width, before.height) == (stock.width, stock.height):
        return replace(stock, x=before.x, y=before.y)
    return stock
