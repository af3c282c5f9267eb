"""One machine's profile: added, changed, copied, retired."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.forms import Form
from keen_compass.app.parts import Button, Line, PlacePage, Text, scrolling
from keen_compass.app.shop.standpoint import StandpointPicture
from keen_compass.errors import KeenCompassError
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.form_reader import NEEDED
from keen_compass.machines.forms import (
    DRAWS,
    IN_CONTROLLER,
    JUDGED,
    TRAILS,
    absent_from,
    machine_fields,
    read_machine,
    turned,
    usual_machine,
)
from keen_compass.machines.limits import COUNTS, FILES, HEADS
from keen_compass.machines.places import SIGNED
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import OF_AXES
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.shop.store import Shop

ROOM_WORDS = {"file": "is in our files", "controller": "is added by the controller"}
CUT = tuple(q for q in IN_CONTROLLER if QUANTITIES[q].group == "cut")
NUMBER = (9, 14, 8)  # shares of a row: a number, what the controller calls it, its tolerance
PICTURE = 210  # px, height of the picture of the axes
HEAD_WORDS = {
    "": "nothing",
    "pointer": "a pointer",
    "sensor": "a mark sensor",
    "pointer, sensor": "a pointer and a mark sensor",
}
MORE_WORDS = {
    "": "nothing more",
    "second_tool": "a second tool",
    "camera": "a camera",
    "camera, second_tool": "a camera and a second tool",
}
PRINT_WORDS = {
    "percent_100": "per cent, 100 for true",
    "percent_0": "per cent, 0 for true",
    "factor": "a factor, 1 for true",
    "pair": "a pair that it divides",
}
OFFSET_WORDS = {
    "secondary_minus_tool": "from the tool to what is beside it",
    "tool_minus_secondary": "from what is beside it to the tool",
}
UNIT_WORDS = {"mm": "millimetres", "in": "inches, decimal", "in 1/64": "inches, fractions"}


class MachinePage(PlacePage):
    """`saved` carries the machine's uid, `left` that nothing was changed."""

    PLACE = "machine"
    saved = Signal(str)

    def __init__(self, shop: Shop, machine: Machine | None) -> None:
        super().__init__()
        self._shop, self._machine = shop, machine
        self.form = Form()
        self.keeps = Form()
        self.picture = StandpointPicture()
        self._trouble = Text(colour="bad", bold=True)
        self._trouble.hide()
        self._fields()
        values = {q: v.stored for q, v in shop.values_on(machine).items()} if machine else {}
        fields = machine_fields(machine, values)
        self._kept_in = fields["controller_units"]
        self.form.fill(fields)
        self.keeps.fill(fields)
        self.picture.set_standpoint(machine.standpoint if machine else Standpoint())
        self.save = Button("Save", self._save, "primary")
        self._lay_out()
        self._kind = MachineKind(fields["kind"])
        for name in ("kind", "heads", "heads_more", "tool_marks"):
            self.form.combos[name].currentIndexChanged.connect(lambda _: self._follow_kind())
        for edit in (*self.form.edits.values(), *self.keeps.edits.values()):
            edit.returnPressed.connect(self._on)
        self._follow_kind()

    def _fields(self) -> None:
        self._fields_of_the_machine()
        self._fields_of_the_controller()

    def _fields_of_the_machine(self) -> None:
        f = self.form
        f.choice("kind", "Kind", {k.value: k.said for k in MachineKind})
        f.field("name", "Name")
        f.choice("units", "Shown in", UNIT_WORDS)
        f.columns("along X", "along Y", of="bed_x")
        f.row("Bed", {"bed_x": "along X", "bed_y": "along Y"})
        f.choice("feeds_along", "The roll feeds along", {"x": "X", "y": "Y"})
        f.columns("width", "feeds at most", of="roll_width")
        f.row("Roll", {"roll_width": "width", "roll_length": "feeds at most"})
        f.field("process", "Process", "current, nozzle, gas")
        f.field("tool", "Tool")
        f.choice("tool_marks", "This tool", {way: way for way in ("cuts", DRAWS, TRAILS)})
        f.field("tool_width", "Its diameter", "0 for a pen")
        f.field("stock", "Stock loaded")
        stock = {"stock_thickness": "thickness", "stock_x": "along X", "stock_y": "along Y"}
        f.columns(*stock.values())
        f.row("It is", stock)
        f.choice("heads", "Beside the tool", HEAD_WORDS)
        f.choice("heads_more", "And", MORE_WORDS)
        f.field("accessory", "Accessory fitted", "scoring tip, felt pen; empty for none")
        f.columns("along X", "along Y", of="accessory_x")
        f.row("Maker’s value", {"accessory_x": "along X", "accessory_y": "along Y"})
        f.field("printer", "Printed on", "which printer")
        f.field("carrier", "Carried by", "mat, film; empty for the bare roll")
        f.fold("More about the machine")
        f.choice("file", "Takes files as", {"": "what its kind takes", **FILES})
        f.field("z_travel", "Z moves by", "0 without a Z to calibrate")
        f.field("gantry", "Between the gantry’s drives", "0 with one drive")
        f.choice("gantry_along", "The gantry runs", {"y": "along Y", "x": "along X"})
        f.choice("head", "The head is held", {"": "not known yet", **HEADS})
        f.field("acceleration", "Acceleration")
        f.field("due_months", "Check every … months")
        f.fold("How it cuts")
        f.field("feed", "Cutting feed")
        f.field("plunge_feed", "Plunge feed")
        f.field("depth_per_pass", "Depth of a pass at most")
        f.field("spindle_rpm", "Spindle, turns per minute")
        f.field("pierce_height", "Pierces above the stock by")
        f.field("pierce_delay", "A pierce takes, s")
        f.field("cut_height", "Cuts above the stock by")
        f.field("power", "Power, %")
        f.field("focus", "Lens height (Z)")
        f.choice("wear", "Wear is counted in", {name: name for name in COUNTS})

    def _fields_of_the_controller(self) -> None:
        k = self.keeps
        k.heading("What the controller keeps")
        k.choice("form", "As", {form.value: f"{form.noun} ({form.unit})" for form in OF_AXES})
        k.columns("it shows now", "is called", "tolerance", shares=NUMBER)
        for q in NEEDED:
            self._number(q)
        k.fold("More that the controller keeps")
        k.choice("controller_units", "Its lengths and feeds", {"mm": "in millimetres", "in": "in inches"})
        k.field("decimals", "Decimals kept", "more where a number shows more")
        for q in IN_CONTROLLER:
            if q not in (*NEEDED, *CUT):
                self._number(q)
        k.combos["controller_units"].currentIndexChanged.connect(lambda _: self._turn_units())
        self._kept_in = "mm"
        k.field("setting_line", "A line looks like")
        k.field("units_per_mm", "HP-GL units per mm")
        k.field("takes_effect", "It takes effect", "e.g. after a restart")
        k.choice("print_form", "Print scale is kept as", PRINT_WORDS)
        k.choice("offset_form", "Offsets are counted", OFFSET_WORDS)
        for q in IN_CONTROLLER:
            if QUANTITIES[q].family in SIGNED:
                k.choice(
                    f"flipped_{q}", f"{QUANTITIES[q].label} grows", {"same": "along its axis", "other": "against it"}
                )
        k.field("step_limit", "Steps per second at most", "if you know it")
        k.fold("Kerf compensation")
        k.choice("gives_room", "Half the kerf is offset", ROOM_WORDS)
        k.choice("kerf_form", "It keeps the kerf as", {"full": "full width", "half": "half width (radius)"})
        k.columns("now", "is called", "tolerance", shares=NUMBER)
        for q in CUT:
            self._number(q)
        k.combos["gives_room"].currentIndexChanged.connect(lambda _: self._follow_kind())
        k.fold("Tolerances of what is set by hand")
        for q in JUDGED:
            if q not in IN_CONTROLLER:
                k.field(f"tolerance_{q}", QUANTITIES[q].label)
        k.field("reference_length", "Scales and slopes over")

    def _number(self, q: str) -> None:
        """A row for one of the controller's numbers."""
        names = {q: "as the controller shows it", f"key_{q}": "what it is called", f"tolerance_{q}": "tolerance"}
        self.keeps.row(QUANTITIES[q].label, names, NUMBER)

    def _follow_kind(self) -> None:
        """The kind brings its own form; what wasn't touched yet becomes what is usual for it."""
        kind = MachineKind(self.form.values()["kind"])
        if self._machine is None and kind != self._kind:
            usual, before = machine_fields(usual_machine(kind), {}), machine_fields(usual_machine(self._kind), {})
            for form in (self.form, self.keeps):
                now = form.values()
                form.fill(now | {n: usual[n] for n in now if n not in ("kind", "name") and now[n] == before.get(n)})
        self._kind = kind
        words = {MachineKind.PLASMA: ("Nozzle", "Its bore"), MachineKind.LASER: ("Lens", "Spot width")}
        tool, width = words.get(kind, ("Tool", "Its diameter"))
        self.form.relabel("tool", tool)
        self.form.relabel("tool_width", width)
        values = self.form.values()
        trails = values["tool_marks"] == TRAILS or any(t.trails for t in (self._machine.tools if self._machine else ()))
        heads = ", ".join(values[n] for n in ("heads", "heads_more"))
        absent = absent_from(kind, self.keeps.values()["gives_room"], heads, trails=trails)
        self.form.show_present(absent | ({"tool_marks"} if kind.thermal else set()))
        self.keeps.show_present(absent)

    def _lay_out(self) -> None:
        title = Line(self._machine.name if self._machine else "A new machine", th.TITLE, bold=True)
        head = QHBoxLayout()
        head.addWidget(title, 1)
        if self._machine:
            head.addWidget(Button("Copy", self._copy, "quiet"))
            head.addWidget(Button("Retire", self._retire, "quiet"))
        head.addWidget(Button("Close", self.left.emit, "quiet"))
        head.addWidget(self.save)
        first = QVBoxLayout()
        first.addWidget(self.form)
        first.addStretch(1)
        second = QVBoxLayout()
        second.addWidget(Text("Where the axes point", 17, bold=True))
        self.picture.setFixedHeight(PICTURE)
        second.addWidget(self.picture)
        second.addWidget(
            Text("Click a side to point +X there, again to flip +Y. Or ← → to turn, ↑ to flip.", colour="soft")
        )
        second.addWidget(self.keeps)
        second.addStretch(1)
        columns = QWidget()
        body = QHBoxLayout(columns)
        body.setContentsMargins(4, 4, 14, 12)
        body.setSpacing(22)
        body.addLayout(first, 1)
        body.addLayout(second, 1)
        scroll = scrolling(columns)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 12, 8)
        layout.addLayout(head)
        layout.addWidget(self._trouble)
        layout.addWidget(scroll, 1)

    def showEvent(self, event: object) -> None:
        """Begins with the kind of a new machine, else with the name."""
        super().showEvent(event)  # type: ignore[arg-type]
        (self.form.edits["name"] if self._machine else self.form.combos["kind"]).setFocus()

    def _on(self) -> None:
        """Enter goes on to what is still needed, and keeps it when nothing is."""
        fields = self.form.edits | self.keeps.edits
        empty = next((fields[name] for name in ("name", *NEEDED) if not fields[name].text().strip()), None)
        if empty is None:
            self._save()
        else:
            empty.setFocus()

    def _save(self) -> None:
        fields = self.form.values() | self.keeps.values()
        machine, stored, complaints = read_machine(fields, self.picture.standpoint, self._machine)
        # The second form first: the keyboard ends at the first complaint of the first form.
        self.keeps.complain(complaints)
        self.form.complain(complaints)
        self._trouble.say("Some fields need another look." if complaints else "")
        if machine is None:
            return
        try:
            self._shop.put_profile(machine, stored)
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.saved.emit(machine.uid)

    def _turn_units(self) -> None:
        """The numbers that are there go on meaning the same when the controller’s unit is said."""
        now = self.keeps.values()["controller_units"]
        if now != self._kept_in:
            for name, text in turned(self.keeps.values(), self._kept_in, now).items():
                self.keeps.edits[name].setText(text)
            self._kept_in = now

    def _copy(self) -> None:
        """A second machine like this one; its own logbook begins empty."""
        assert self._machine is not None
        copy = replace(self._machine, uid=new_uid(), name=f"{self._machine.name[:38]} 2")
        try:
            with self._shop.writing():
                self._shop.put_machine(copy)
                for quantity, held in self._shop.values_on(self._machine).items():
                    if quantity in IN_CONTROLLER:
                        self._shop.put_value(copy.uid, quantity, held.stored, "start", subject=copy.subject)
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.saved.emit(copy.uid)

    def _retire(self) -> None:
        assert self._machine is not None
        if self._put(replace(self._machine, retired=True)):
            self.saved.emit("")

    def _put(self, machine: Machine) -> bool:
        try:
            self._shop.put_machine(machine)
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return False
        return True
