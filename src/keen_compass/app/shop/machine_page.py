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
from keen_compass.language import marked, tr
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.form_reader import NEEDED
from keen_compass.machines.forms import (
    CUTS,
    DRAWS,
    TRAILS,
    absent_from,
    in_controller,
    judged,
    machine_fields,
    read_machine,
    turned,
    usual_machine,
)
from keen_compass.machines.limits import COUNTS, FILES, HEADS
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import OF_AXES
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.shop.store import Shop

ROOM_WORDS = {"file": marked("is in our files"), "controller": marked("is added by the controller")}
NUMBER = (9, 14, 8)  # shares of a row: a number, what the controller calls it, its tolerance
PICTURE = 210  # px, height of the picture of the axes
HEAD_WORDS = {
    "": marked("nothing"),
    "pointer": marked("a pointer"),
    "sensor": marked("a mark sensor"),
    "pointer, sensor": marked("a pointer and a mark sensor"),
}
MORE_WORDS = {
    "": marked("nothing more"),
    "second_tool": marked("a second tool"),
    "camera": marked("a camera"),
    "camera, second_tool": marked("a camera and a second tool"),
}
PRINT_WORDS = {
    "percent_100": marked("per cent, 100 for true"),
    "percent_0": marked("per cent, 0 for true"),
    "factor": marked("a factor, 1 for true"),
    "pair": marked("a pair that it divides"),
}
OFFSET_WORDS = {
    "secondary_minus_tool": marked("from the tool to what is beside it"),
    "tool_minus_secondary": marked("from what is beside it to the tool"),
}
UNIT_WORDS = {"mm": marked("millimetres"), "in": marked("inches, decimal"), "in 1/64": marked("inches, fractions")}


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
        self.save = Button(tr("Save"), self._save, "primary")
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
        f.choice("kind", tr("Kind"), {k.value: k.said for k in MachineKind})
        f.field("name", tr("Name"))
        f.choice("units", tr("Shown in"), UNIT_WORDS)
        f.columns(tr("along X"), tr("along Y"), of="bed_x")
        f.row(tr("Bed"), {"bed_x": tr("along X"), "bed_y": tr("along Y")})
        f.choice("feeds_along", tr("The roll feeds along"), {"x": "X", "y": "Y"})
        f.columns(tr("width"), tr("feeds at most"), of="roll_width")
        f.row(tr("Roll"), {"roll_width": tr("width"), "roll_length": tr("feeds at most")})
        f.field("process", tr("Process"), tr("current, nozzle, gas"))
        f.field("tool", tr("Tool"))
        f.choice("tool_marks", tr("This tool"), {way: way for way in (CUTS, DRAWS, TRAILS)})
        f.field("tool_width", tr("Its diameter"), tr("0 for a pen"))
        f.field("stock", tr("Stock loaded"))
        stock = {"stock_thickness": tr("thickness"), "stock_x": tr("along X"), "stock_y": tr("along Y")}
        f.columns(*stock.values())
        f.row(tr("It is"), stock)
        f.choice("heads", tr("Beside the tool"), HEAD_WORDS)
        f.choice("heads_more", tr("And"), MORE_WORDS)
        f.field("accessory", tr("Accessory fitted"), tr("scoring tip, felt pen; empty for none"))
        f.columns(tr("along X"), tr("along Y"), of="accessory_x")
        f.row(tr("Maker’s value"), {"accessory_x": tr("along X"), "accessory_y": tr("along Y")})
        f.field("printer", tr("Printed on"), tr("which printer"))
        f.field("carrier", tr("Carried by"), tr("mat, film; empty for the bare roll"))
        f.fold(tr("More about the machine"))
        f.choice("file", tr("Takes files as"), {"": tr("what its kind takes"), **FILES})
        f.field("z_travel", tr("Z moves by"), tr("0 without a Z to calibrate"))
        f.field("gantry", tr("Between the gantry’s drives"), tr("0 with one drive"))
        f.choice("gantry_along", tr("The gantry runs"), {"y": tr("along Y"), "x": tr("along X")})
        f.choice("head", tr("The head is held"), {"": tr("not known yet"), **HEADS})
        f.field("acceleration", tr("Acceleration"))
        f.field("due_months", tr("Check every … months"))
        f.fold(tr("How it cuts"))
        f.field("feed", tr("Cutting feed"))
        f.field("plunge_feed", tr("Plunge feed"))
        f.field("depth_per_pass", tr("Depth of a pass at most"))
        f.field("spindle_rpm", tr("Spindle, turns per minute"))
        f.field("pierce_height", tr("Pierces above the stock by"))
        f.field("pierce_delay", tr("A pierce takes, s"))
        f.field("cut_height", tr("Cuts above the stock by"))
        f.field("power", tr("Power, %"))
        f.field("focus", tr("Lens height (Z)"))
        f.choice("wear", tr("Wear is counted in"), {name: name for name in COUNTS})

    def _fields_of_the_controller(self) -> None:
        k = self.keeps
        k.heading(tr("What the controller keeps"))
        k.choice("form", tr("As"), {form.value: f"{tr(form.noun)} ({tr(form.unit)})" for form in OF_AXES})
        k.columns(tr("it shows now"), tr("is called"), tr("tolerance"), shares=NUMBER)
        for q in NEEDED:
            self._number(q)
        k.fold(tr("More that the controller keeps"))
        k.choice("controller_units", tr("Its lengths and feeds"), {"mm": tr("in millimetres"), "in": tr("in inches")})
        k.field("decimals", tr("Decimals kept"), tr("more where a number shows more"))
        kept = in_controller()
        cut = [q for q in kept if QUANTITIES[q].group == "cut"]
        for q in kept:
            if q not in (*NEEDED, *cut):
                self._number(q)
        k.combos["controller_units"].currentIndexChanged.connect(lambda _: self._turn_units())
        self._kept_in = "mm"
        k.field("setting_line", tr("A line looks like"))
        k.field("units_per_mm", tr("HP-GL units per mm"))
        k.field("takes_effect", tr("It takes effect"), tr("e.g. after a restart"))
        k.choice("print_form", tr("Print scale is kept as"), PRINT_WORDS)
        k.choice("offset_form", tr("Offsets are counted"), OFFSET_WORDS)
        for q in kept:
            if QUANTITIES[q].family.signed:
                k.choice(
                    f"flipped_{q}",
                    tr("{label} grows", label=QUANTITIES[q].label),
                    {"same": tr("along its axis"), "other": tr("against it")},
                )
        k.field("step_limit", tr("Steps per second at most"), tr("if you know it"))
        k.fold(tr("Kerf compensation"))
        k.choice("gives_room", tr("Half the kerf is offset"), ROOM_WORDS)
        k.choice("kerf_form", tr("It keeps the kerf as"), {"full": tr("full width"), "half": tr("half width (radius)")})
        k.columns(tr("now"), tr("is called"), tr("tolerance"), shares=NUMBER)
        for q in cut:
            self._number(q)
        k.combos["gives_room"].currentIndexChanged.connect(lambda _: self._follow_kind())
        k.fold(tr("Tolerances of what is set by hand"))
        for q in judged():
            if q not in kept:
                k.field(f"tolerance_{q}", QUANTITIES[q].label)
        k.field("reference_length", tr("Scales and slopes over"))

    def _number(self, q: str) -> None:
        """A row for one of the controller's numbers."""
        names = {
            q: tr("as the controller shows it"),
            f"key_{q}": tr("what it is called"),
            f"tolerance_{q}": tr("tolerance"),
        }
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
        words = {MachineKind.PLASMA: (tr("Nozzle"), tr("Its bore")), MachineKind.LASER: (tr("Lens"), tr("Spot width"))}
        tool, width = words.get(kind, (tr("Tool"), tr("Its diameter")))
        self.form.relabel("tool", tool)
        self.form.relabel("tool_width", width)
        values = self.form.values()
        trails = values["tool_marks"] == TRAILS or any(t.trails for t in (self._machine.tools if self._machine else ()))
        heads = ", ".join(values[n] for n in ("heads", "heads_more"))
        absent = absent_from(kind, self.keeps.values()["gives_room"], heads, trails=trails)
        self.form.show_present(absent | ({"tool_marks"} if kind.thermal else set()))
        self.keeps.show_present(absent)

    def _lay_out(self) -> None:
        title = Line(self._machine.name if self._machine else tr("A new machine"), th.TITLE, bold=True)
        head = QHBoxLayout()
        head.addWidget(title, 1)
        if self._machine:
            head.addWidget(Button(tr("Copy"), self._copy, "quiet"))
            head.addWidget(Button(tr("Retire"), self._retire, "quiet"))
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        head.addWidget(self.save)
        first = QVBoxLayout()
        first.addWidget(self.form)
        first.addStretch(1)
        second = QVBoxLayout()
        second.addWidget(Text(tr("Where the axes point"), 17, bold=True))
        self.picture.setFixedHeight(PICTURE)
        second.addWidget(self.picture)
        second.addWidget(
            Text(tr("Click a side to point +X there, again to flip +Y. Or ← → to turn, ↑ to flip."), colour="soft")
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
        self._trouble.say(tr("Some fields need another look.") if complaints else "")
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
                    if QUANTITIES[quantity].in_controller:
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
