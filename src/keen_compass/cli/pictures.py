"""Commands about pictures of what was made: a sheet of ours read from a photo or a scan."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

from msgspec import Meta, Struct

from keen_compass.cli.common import Commands, length_given, print_json, read_json
from keen_compass.errors import InputError, PieceError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject

if TYPE_CHECKING:
    from keen_compass.formats.piece_picture import SeenPiece
    from keen_compass.pieces.page import Page
    from keen_compass.procedures.base import AnyProcedure
    from keen_compass.procedures.case import Case
    from keen_compass.procedures.seen import Readings
    from keen_compass.solve.scanner import Scanner

Scale = Annotated[float, Meta(gt=0, le=10)]  # mm per px
Share = Annotated[float, Meta(ge=0, le=10)]


def add_reading(commands: Commands) -> None:
    """What pictures of sheets say."""
    sheet = commands.add_parser(
        "read-sheet", help=tr("what a tool drew beside a printed sheet’s targets, from a picture")
    )
    sheet.add_argument("picture", type=Path, metavar=tr("PICTURE"), help=tr("photo or scan: PNG, JPEG, WebP or TIFF"))
    sheet.add_argument(
        "--geometry", type=Path, required=True, metavar="FILE", help=tr("of the sheet, as `piece --geometry` wrote it")
    )
    sheet.add_argument(
        "--bars", nargs=2, metavar=("X", "Y"), help=tr("what its check bars measure: for distances across the sheet")
    )
    sheet.add_argument("--json", action="store_true", help=tr("as JSON; that is what it prints in any case"))
    sheet.set_defaults(run=_read_sheet)
    piece = commands.add_parser("read-piece", help=tr("sizes of a cut piece on a scanner’s glass, from a picture"))
    piece.add_argument("picture", type=Path, metavar=tr("PICTURE"), help=tr("scan: PNG, JPEG, WebP or TIFF"))
    piece.add_argument("--case", required=True, metavar="FILE", help=tr("an input of `solve`: which piece it is"))
    piece.add_argument(
        "--scanner", type=Path, metavar="FILE", help=tr("what is known of the scanner; with --calibrate: made")
    )
    piece.add_argument("--calibrate", action="store_true", help=tr("find its scales by the readings of the case"))
    piece.add_argument("--json", action="store_true", help=tr("as JSON; that is what it prints in any case"))
    piece.set_defaults(run=_read_piece)


def _read_sheet(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import LARGEST
    from keen_compass.formats.sheet_picture import read_sheet
    from keen_compass.procedures.seen import Found, bars_of, readings_of, sought_on
    from keen_compass.words.say import say

    procedure, page = _sheet_of(options.geometry)
    bars = {"bars": [length_given(bar, "--bars") for bar in options.bars]} if options.bars else {}
    parameters = {**procedure.on_page(page), **bars}
    shape = procedure.piece(parameters)
    data = read_whole(options.picture, LARGEST)
    seen = read_sheet(data, page, str(options.picture), sought_on(procedure, shape, page))
    lies = Found(seen.beside, seen.lines, seen.residual_px / seen.px_per_mm)
    found = readings_of(procedure, shape, page, lies, bars_of(parameters))
    print_json(
        {
            "readings": _as_json(found),
            "map": {
                "kind": "affine" if seen.map.affine else "projective",
                "px_per_mm": round(seen.px_per_mm, 3),
                "residual_px": round(seen.residual_px, 3),
                "turn_deg": round(math.degrees(seen.map.turn(seen.middle)), 3),
                "mirrored": seen.map.mirrored(seen.middle),
            },
            "missed": list(found.missed),
            "notes": [say(n) for n in (*seen.notes, *found.notes)],
        }
    )
    return 0


def _as_json(found: Readings) -> list[JsonObject]:
    """As `solve` takes them; a pick has no uncertainty of its own."""
    return [
        {"measurand": r.measurand, "values": [round(r.mm, 4)], **({"uncertainty": round(r.U, 4)} if r.U else {})}
        for r in found.read
    ]


def _sheet_of(file: Path) -> tuple[AnyProcedure, Page]:
    """The procedure and the page that a geometry is of. Raises InputError naming the place."""
    from keen_compass.procedures import REGISTRY, load
    from keen_compass.procedures.seen import Geometry
    from keen_compass.quantities.understood import understood

    body = understood(Geometry, read_json(str(file)))
    if body.sheet.kind not in REGISTRY:
        raise InputError(
            tr("expected what `piece --geometry` wrote for a sheet that this version prints"), "sheet.kind"
        )
    procedure = load(body.sheet.kind)
    try:
        page = procedure.page(body.sheet.size, body.sheet.number, down=body.axes.y[1] < 0, fine=body.fine)
    except PieceError as error:
        raise error.at("sheet") from None
    if page is None or not page.targets:
        raise InputError(tr("nothing is drawn beside targets on such a sheet: there is nothing to read"), "sheet.kind")
    return procedure, page


class ScannerIn(Struct, forbid_unknown_fields=True):
    """What is known of a scanner."""

    mm_per_px: tuple[Scale, Scale]
    skew_mm_per_m: Annotated[float, Meta(ge=-100, le=100)] = 0.0
    expanded_uncertainty: tuple[Share, Share] = (0.0, 0.0)
    edge_mm: Annotated[float, Meta(ge=-1, le=1)] = 0.0


def _read_piece(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import LARGEST, nominal_dpi
    from keen_compass.formats.piece_picture import read_piece
    from keen_compass.pieces.parts import parts_of
    from keen_compass.procedures import load
    from keen_compass.procedures.case_input import case_from_json
    from keen_compass.procedures.seen import on_glass, sizes_of
    from keen_compass.procedures.stages import Makes
    from keen_compass.quantities.notes import note
    from keen_compass.solve.scanner import NOMINAL_U, Scanner
    from keen_compass.words.say import say

    case = case_from_json(read_json(options.case))
    procedure = load(case.procedure)
    if procedure.makes is not Makes.PIECE:
        raise InputError(
            tr("{procedure} makes no piece that lies on a scanner’s glass", procedure=case.procedure), "procedure"
        )
    piece = procedure.piece(case.piece)
    above, below = (sizes_of(procedure, piece, below=side) for side in (False, True))
    if not above:
        raise InputError(
            tr("nothing of {procedure} is read between faces of one piece", procedure=case.procedure), "procedure"
        )
    data = read_whole(options.picture, LARGEST)
    seen = read_piece(data, parts_of(piece.job(1)), above | below, str(options.picture))
    dpi = nominal_dpi(data)
    if options.calibrate:
        return _calibrate(options, procedure, case, seen, 25.4 / dpi if dpi else 1 / seen.px_per_mm)
    if options.scanner is None and not dpi:
        raise InputError(tr("doesn’t say how many pixels make an inch: give --scanner"), str(options.picture))
    scanner = _scanner(options.scanner) if options.scanner else Scanner((25.4 / dpi, 25.4 / dpi), U=(0.02, NOMINAL_U))
    found = on_glass(
        procedure,
        piece,
        seen.sizes,
        seen.picks,
        scanner,
        mirrored=seen.mirrored,
        ambiguous=seen.ambiguous,
        several=seen.several,
    )
    notes = list(found.notes)
    notes += [] if options.scanner else [note("picture.nominal_scale", dpi=dpi)]
    print_json(
        {
            "readings": _as_json(found),
            "map": {
                "kind": "affine",
                "px_per_mm": round(seen.px_per_mm, 3),
                "residual_px": round(seen.residual_px, 3),
                "turn_deg": round(math.degrees(seen.turn), 3),
                "mirrored": seen.mirrored,
            },
            "missed": list(found.missed),
            "notes": [say(n) for n in notes],
        }
    )
    return 0


def _calibrate(
    options: argparse.Namespace, procedure: AnyProcedure, case: Case, seen: SeenPiece, nominal: float
) -> int:
    """The scanner's record, by what a caliper said of the piece that lies on it."""
    import json

    from keen_compass.formats.files import write_whole
    from keen_compass.procedures.seen import known_lengths
    from keen_compass.solve.scanner import calibrated

    lengths = known_lengths(procedure, case, seen.sizes)
    if not lengths:
        raise InputError(tr("give what a caliper reads of the piece: at least one length each way"), "readings")
    found = calibrated(lengths, nominal)
    record = {
        "mm_per_px": [round(s, 9) for s in found.mm_per_px],
        "skew_mm_per_m": round(1000 * found.skew, 4),
        "expanded_uncertainty": [round(found.U[0], 5), round(found.U[1], 7)],
        "edge_mm": round(found.edge, 5),
    }
    if options.scanner:
        write_whole(options.scanner, (json.dumps(record, indent=2) + "\n").encode())
    print_json(record)
    return 0


def _scanner(file: Path) -> Scanner:
    from keen_compass.quantities.understood import understood
    from keen_compass.solve.scanner import Scanner

    body = understood(ScannerIn, read_json(str(file)))
    return Scanner(body.mm_per_px, body.skew_mm_per_m / 1000, body.expanded_uncertainty, body.edge_mm)
