"""Commands about pictures and artwork: the cross in a picture, the outline of a sticker, a proof job."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.cli.common import print_json
from keen_compass.errors import InputError

if TYPE_CHECKING:
    from keen_compass.formats.artwork import Artwork
    from keen_compass.pieces.outline import Ring


def add_pictures(commands: Any) -> None:
    """What is found in pictures."""
    cross = commands.add_parser("find-cross", help="the middle of a drawn cross in a picture, as JSON")
    cross.add_argument("picture", type=Path, metavar="PICTURE", help="PNG, JPEG, WebP or TIFF")
    cross.add_argument("--near", metavar="U,V", help="where it is, roughly, px from the upper left corner")
    cross.set_defaults(run=_find_cross)


def _find_cross(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import read_grey
    from keen_compass.quantities.uncertainty import K_95
    from keen_compass.solve.cross import find_cross

    near = None
    if options.near is not None:
        try:
            u, v = (float(part) for part in options.near.split(","))
        except ValueError:
            raise InputError("expected U,V in pixels, like 640,480", "--near") from None
        if not (math.isfinite(u) and math.isfinite(v)):
            raise InputError("expected U,V in pixels, like 640,480", "--near")
        near = (u, v)
    found = find_cross(read_grey(options.picture), near)
    if found is None:
        raise InputError("shows no cross: two dark strokes on lighter ground, as sharp as can be", str(options.picture))
    print_json({
        "u": round(found.u, 4), "v": round(found.v, 4), "u_uncertainty": round(K_95 * found.u_u, 4),
        "v_uncertainty": round(K_95 * found.u_v, 4), "arms": found.arms,
    })  # fmt: skip
    return 0


def add_artwork(commands: Any) -> None:
    """Where a sticker is cut; its page and its cut file."""
    outline = commands.add_parser("outline", help="the cut line about an artwork, as SVG in mm")
    _add_outset(outline)
    outline.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.svg")
    outline.set_defaults(run=_outline)


def _add_outset(parser: argparse.ArgumentParser) -> None:
    from keen_compass.pieces.outline import CORNERS, HOLES, PARTS

    parser.add_argument("artwork", type=Path, metavar="ARTWORK", help="SVG, PNG, JPEG, WebP or TIFF")
    parser.add_argument("--outset", required=True, metavar="MM", help="from the artwork's edge out to the cut")
    parser.add_argument("--corners", choices=CORNERS, default=CORNERS[0])
    parser.add_argument(
        "--mitre-limit", type=float, default=4.0, metavar="N", help="how far a mitre may reach, outsets"
    )
    parser.add_argument("--holes", choices=HOLES, default=HOLES[0])
    parser.add_argument(
        "--parts", choices=PARTS, default=PARTS[0], help="each with a line of its own, or one about all"
    )
    parser.add_argument("--smallest", default="0.5", metavar="MM", help="side of the smallest part or hole that counts")
    parser.add_argument("--threshold", type=float, metavar="T", help="of a picture: 0 to 1, or to 255")
    parser.add_argument("--smooth", default="0", metavar="MM", help="by which a picture's edge is smoothed")
    parser.add_argument("--dpi", type=float, default=0.0, metavar="N", help="pixels per inch of a picture")
    parser.add_argument(
        "--strokes", choices=("seen", "skip"), default="seen", help="lines of a drawing: as wide as seen"
    )


def _outline(options: argparse.Namespace) -> int:
    """What it found is told on standard output, as JSON."""
    from keen_compass.formats.drawings import write_outline
    from keen_compass.formats.files import write_whole

    artwork, rings = _rings(options)
    write_whole(options.output, write_outline(rings, (artwork.width, artwork.height)).encode())
    print_json(_told(artwork, rings))
    return 0


def _rings(options: argparse.Namespace) -> tuple[Artwork, tuple[Ring, ...]]:
    from keen_compass.formats.artwork import read_file, shown_area
    from keen_compass.pieces.outline import Outset, outlined
    from keen_compass.procedures.case import length_mm

    lengths = {
        name: length_mm(_maybe(getattr(options, name)), f"--{name}") for name in ("outset", "smallest", "smooth")
    }
    if lengths["smooth"] < 0:
        raise InputError("0 or more", "--smooth")
    outset = Outset(
        lengths["outset"], options.corners, options.mitre_limit, options.holes, options.parts, lengths["smallest"]
    )  # fmt: skip
    artwork = read_file(options.artwork, options.dpi)
    area = shown_area(artwork, _threshold(options.threshold), lengths["smooth"], strokes=options.strokes == "seen")
    return artwork, outlined(area, outset)


def _threshold(given: float | None) -> float:
    from keen_compass.formats.artwork import BETWEEN

    if given is None:
        return BETWEEN
    share = given / 255 if given > 1 else given
    if not 0 < share < 1:
        raise InputError("between 0 and 1, or up to 255", "--threshold")
    return share


def _maybe(text: str) -> float | str:
    """A plain number is mm; anything else is a length with its unit."""
    try:
        return float(text)
    except ValueError:
        return text


def _told(artwork: Artwork, rings: tuple[Ring, ...]) -> dict[str, Any]:
    return {
        "size": [round(artwork.width, 4), round(artwork.height, 4)],
        "parts": sum(not ring.hole for ring in rings), "holes": sum(ring.hole for ring in rings),
        "not_understood": dict(getattr(artwork, "left_out", {})),
    }  # fmt: skip
