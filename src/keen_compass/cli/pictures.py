"""Commands about pictures of what was made: a sheet of ours read from a photo or a scan."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.cli.common import print_json, read_json
from keen_compass.errors import InputError, PieceError
from keen_compass.formats.files import read_whole

if TYPE_CHECKING:
    from keen_compass.pieces.page import Page
    from keen_compass.procedures.base import Procedure


def add_reading(commands: Any) -> None:
    """What pictures of sheets say."""
    sheet = commands.add_parser("read-sheet", help="what a tool drew beside a printed sheet’s targets, from a picture")
    sheet.add_argument("picture", type=Path, metavar="PICTURE", help="photo or scan: PNG, JPEG, WebP or TIFF")
    sheet.add_argument(
        "--geometry", type=Path, required=True, metavar="FILE", help="of the sheet, as `piece --geometry` wrote it"
    )
    sheet.add_argument("--json", action="store_true", help="as JSON; that is what it prints in any case")
    sheet.set_defaults(run=_read_sheet)


def _read_sheet(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import LARGEST
    from keen_compass.formats.sheet_picture import read_sheet
    from keen_compass.procedures.seen import readings_of
    from keen_compass.words.say import say

    procedure, page = _sheet_of(options.geometry)
    data = read_whole(options.picture, LARGEST)
    seen = read_sheet(data, page, str(options.picture))
    found = readings_of(procedure, seen.page, seen.beside)
    middle = (page.width / 2, page.height / 2)
    print_json(
        {
            "readings": [
                {"measurand": r.measurand, "values": [round(r.mm, 4)], "uncertainty": round(r.U, 4)} for r in found.read
            ],
            "map": {
                "kind": "affine" if seen.map.affine else "projective",
                "px_per_mm": round(seen.px_per_mm, 3),
                "residual_px": round(seen.residual_px, 3),
                "turn_deg": round(math.degrees(seen.map.turn(middle)), 3),
                "mirrored": seen.map.mirrored(middle),
            },
            "missed": list(found.missed),
            "notes": [say(n) for n in (*seen.notes, *found.notes)],
        }
    )
    return 0


def _sheet_of(file: Path) -> tuple[Procedure[Any], Page]:
    """The procedure and the page that a geometry is of. Raises InputError naming the place."""
    from keen_compass.procedures import REGISTRY, load
    from keen_compass.procedures.seen import Geometry
    from keen_compass.quantities.understood import understood

    body = understood(Geometry, read_json(str(file)))
    if body.sheet.kind not in REGISTRY:
        raise InputError("expected what `piece --geometry` wrote for a sheet that this version prints", "sheet.kind")
    procedure = load(body.sheet.kind)
    try:
        page = procedure.page(body.sheet.size, body.sheet.number, down=body.axes.y[1] < 0, fine=body.fine)
    except PieceError as error:
        raise error.at("sheet") from None
    if page is None or not page.targets:
        raise InputError("nothing is drawn beside targets on such a sheet: there is nothing to read", "sheet.kind")
    return procedure, page
