"""Commands about pictures and artwork: the cross in a picture, the outline of a sticker, a proof job."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.cli.common import Commands, length_given, paper_size, print_json
from keen_compass.errors import InputError
from keen_compass.formats.files import read_whole, shown_path
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject

if TYPE_CHECKING:
    from keen_compass.formats.artwork import Artwork
    from keen_compass.pieces.page import Page
    from keen_compass.pieces.sticker import Sticker
    from keen_compass.pieces.toolpath import ToolPath

MOST_NAME = 60  # letters


def add_pictures(commands: Commands) -> None:
    """What is found in pictures."""
    cross = commands.add_parser("find-cross", help=tr("the middle of a drawn cross in a picture, as JSON"))
    cross.add_argument("picture", type=Path, metavar=tr("PICTURE"), help=tr("PNG, JPEG, WebP or TIFF"))
    cross.add_argument("--near", metavar="U,V", help=tr("where it is, roughly, px from the upper left corner"))
    cross.set_defaults(run=_find_cross)


def _find_cross(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import read_grey
    from keen_compass.quantities.uncertainty import K_95
    from keen_compass.solve.cross import another_cross, find_cross

    near = None
    if options.near is not None:
        try:
            u, v = (float(part) for part in options.near.split(","))
        except ValueError:
            raise InputError(tr("expected U,V in pixels, like 640,480"), "--near") from None
        if not (math.isfinite(u) and math.isfinite(v)):
            raise InputError(tr("expected U,V in pixels, like 640,480"), "--near")
        near = (u, v)
    grey = read_grey(options.picture)
    found = find_cross(grey, near)
    if found is None:
        raise InputError(
            tr("shows no cross clear of its edge: two dark strokes on lighter ground, as sharp as can be"),
            str(options.picture),
        )
    if near is None and (other := another_cross(grey, (found.u, found.v))) is not None:
        both = " and ".join(f"{c.u:.0f},{c.v:.0f}" for c in (found, other))
        raise InputError(tr("shows two crosses, at {both}: say which with --near U,V", both=both), str(options.picture))
    print_json(
        {
            "u": round(found.u, 4),
            "v": round(found.v, 4),
            "u_uncertainty": round(K_95 * found.u_u, 4),
            "v_uncertainty": round(K_95 * found.u_v, 4),
            "arms": found.arms,
        }
    )
    return 0


def add_artwork(commands: Commands) -> None:
    """Where a sticker is cut; its page and its cut file."""
    outline = commands.add_parser("outline", help=tr("the cut line about an artwork, as SVG in mm"))
    _add_outset(outline)
    outline.add_argument(
        "-o", "--output", type=Path, required=True, metavar=tr("OUT.svg"), help=tr("the line, as SVG in mm")
    )
    outline.set_defaults(run=_outline)
    _add_proof_job(commands)


def _add_outset(parser: argparse.ArgumentParser) -> None:
    from keen_compass.pieces.outline import CORNERS, HOLES, PARTS

    parser.add_argument("artwork", type=Path, metavar=tr("ARTWORK"), help=tr("SVG, PDF, PNG, JPEG, WebP or TIFF"))
    parser.add_argument("--outset", required=True, metavar="MM", help=tr("from the artwork's edge out to the cut"))
    parser.add_argument("--corners", choices=CORNERS, default=CORNERS[0], help=tr("of the cut line"))
    parser.add_argument(
        "--mitre-limit", type=float, default=4.0, metavar="N", help=tr("how far a mitre may reach, outsets")
    )
    parser.add_argument("--holes", choices=HOLES, default=HOLES[0], help=tr("cut them, or leave them out"))
    parser.add_argument(
        "--parts", choices=PARTS, default=PARTS[0], help=tr("each with a line of its own, or one about all")
    )
    parser.add_argument(
        "--smallest", default="0.5", metavar="MM", help=tr("side of the smallest part or hole that counts")
    )
    parser.add_argument("--threshold", type=float, metavar="T", help=tr("of a picture: 0 to 1, or to 255"))
    parser.add_argument("--smooth", default="0", metavar="MM", help=tr("by which a picture's edge is smoothed"))
    parser.add_argument("--dpi", type=float, default=0.0, metavar="N", help=tr("pixels per inch of a picture"))
    parser.add_argument(
        "--line",
        choices=("outset", "own"),
        default="outset",
        help=tr("own: cut along what a layer or a spot colour of the artwork calls its cut line, and don't print that"),
    )
    parser.add_argument(
        "--strokes", choices=("seen", "skip"), default="seen", help=tr("lines of a drawing: as wide as seen")
    )


def _outline(options: argparse.Namespace) -> int:
    """What it found is told on standard output, as JSON."""
    from keen_compass.formats.drawings import write_outline
    from keen_compass.formats.files import write_whole

    artwork, sticker = _sticker(options, "")
    write_whole(options.output, write_outline(sticker.rings, (sticker.width, sticker.height)).encode())
    print_json(_told(artwork, sticker))
    return 0


def _sticker(options: argparse.Namespace, name: str) -> tuple[Artwork, Sticker]:
    from keen_compass.formats.artwork import read_file, sticker_of
    from keen_compass.formats.drawn import Drawing
    from keen_compass.pieces.outline import Outset

    lengths = {name: length_given(getattr(options, name), f"--{name}") for name in ("outset", "smallest", "smooth")}
    if lengths["smooth"] < 0:
        raise InputError(tr("0 or more"), "--smooth")
    outset = Outset(
        lengths["outset"], options.corners, options.mitre_limit, options.holes, options.parts, lengths["smallest"]
    )
    own = options.line == "own"
    artwork = read_file(options.artwork, options.dpi, own_line=own)
    if own and not (isinstance(artwork, Drawing) and artwork.own_line):
        where = str(options.artwork)
        raise InputError(tr("names no cut line: no layer and no spot colour is called cut, cut line …"), where)
    threshold, strokes = _threshold(options.threshold), options.strokes == "seen"
    return artwork, sticker_of(artwork, name, outset, threshold, lengths["smooth"], strokes=strokes)


def _threshold(given: float | None) -> float:
    from keen_compass.formats.artwork import BETWEEN

    if given is None:
        return BETWEEN
    share = given / 255 if given > 1 else given
    if not 0 < share < 1:
        raise InputError(tr("between 0 and 1, or up to 255"), "--threshold")
    return share


def _told(artwork: Artwork, sticker: Sticker) -> JsonObject:
    own = getattr(artwork, "own_line", None)
    return {
        "size": [round(artwork.width, 4), round(artwork.height, 4)],
        "parts": sum(not ring.hole for ring in sticker.rings),
        "holes": sum(ring.hole for ring in sticker.rings),
        "not_understood": dict(getattr(artwork, "left_out", {})),
        **({"own_line": own.name} if own else {}),
    }


def _add_proof_job(commands: Commands) -> None:
    """A printed page and its cut."""
    job = commands.add_parser("proof-job", help=tr("a printed sticker and its cut: the page as PDF, the cut file"))
    _add_outset(job)
    job.add_argument("--page", default="A4", metavar=tr("PAPER"), help=tr("A4, A3 …, or WIDTHxHEIGHT in mm"))
    job.add_argument("--copies", type=int, default=1, metavar="N", help=tr("on one sheet"))
    job.add_argument("--print", type=Path, required=True, metavar=tr("OUT.pdf"), dest="print_to", help=tr("the page"))
    job.add_argument("--cut", type=Path, required=True, metavar=tr("OUT.plt"), help=tr(".plt HP-GL, .svg, .dxf"))
    job.add_argument("--name", default="", help=tr("what the job is called; its file's name unless said"))
    job.add_argument(
        "--number", type=int, default=1, metavar="N", help=tr("of the sheet, where no shop file counts them")
    )
    job.add_argument("--shop", type=Path, metavar="FILE", help=tr("keep the job there, waiting to be cut"))
    job.add_argument("--machine", default="", metavar="NAME", help=tr("that is to cut it, of the shop file"))
    job.set_defaults(run=_proof_job)


def _proof_job(options: argparse.Namespace) -> int:
    """What is on the page, and what is cut, is told on standard output."""
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.pages import page_as_picture
    from keen_compass.pieces.sticker import lines_to_cut
    from keen_compass.pieces.toolpath import Stroke, drawn

    written = _writer(options.cut)
    name = options.name.strip()[:MOST_NAME] or shown_path(Path(options.artwork.stem))[:MOST_NAME]
    artwork, sticker = _sticker(options, name)
    page, pdf, waits = (_waiting if options.shop else _by_itself)(options, artwork, sticker)
    path = drawn(
        tr("{name}, sheet {number}", name=name, number=page.number),
        tuple(Stroke(line) for line in lines_to_cut(sticker, page)),
    )
    write_whole(options.print_to, pdf if options.print_to.suffix.lower() != ".png" else page_as_picture(pdf))
    write_whole(options.cut, written(path))
    extents = [round(v, 4) for v in path.extents()]
    print_json(_told(artwork, sticker) | page.to_json() | {"name": name, "cut": {"extents": extents}, **waits})
    return 0


Made = tuple["Page", bytes, JsonObject]


def _by_itself(options: argparse.Namespace, artwork: Artwork, sticker: Sticker) -> Made:
    """A page that no shop file knows."""
    from keen_compass.formats.pages import write_page
    from keen_compass.pieces.page import MOST_NUMBER
    from keen_compass.pieces.sticker import sticker_page
    from keen_compass.words.pages import page_words

    if not 1 <= options.number <= MOST_NUMBER:
        raise InputError(tr("1 to {most}", most=MOST_NUMBER), "--number")
    page = sticker_page(sticker, paper_size(options.page, "--page"), options.number, options.copies)
    return page, write_page(page, page_words(page), art=artwork), {}


def _waiting(options: argparse.Namespace, _artwork: Artwork, sticker: Sticker) -> Made:
    """Of a machine of a shop file, where it waits: once it is aimed at, it is cut by what is in force then."""
    from keen_compass.procedures.stages import Stage
    from keen_compass.rounds import RoundSession
    from keen_compass.shop.store import Shop

    if not options.shop.is_file():
        raise InputError(tr("is not there") if not options.shop.exists() else tr("is no shop file"), str(options.shop))
    shop = Shop(options.shop)
    try:
        known = [m for m in shop.machines() if "proof" in m.quantities]
        named = [m for m in known if options.machine in ("", m.name, m.uid)]
        if not named:
            names = ", ".join(m.name for m in known)
            raise InputError(
                tr("expected one of {names}", names=names) if names else tr("no machine there prints and cuts"),
                "--machine",
            )
        session = RoundSession.begin(shop, named[0], "proof")
        making = session.making
        if Stage.PRINT in making.sheets.state.done:
            waits = tr("{name}, sheet {number}", name=making.artworks.chosen.name, number=making.sheets.number())
            raise InputError(
                tr("{waits} waits on {name} already: cut it, or give it up", waits=waits, name=named[0].name), "--shop"
            )
        with session.together():
            making.artworks.put(read_whole(options.artwork), shown_path(Path(options.artwork.name)))
            making.artworks.rename(sticker.name)
            making.artworks.copies(options.copies)
            making.artworks.change(
                outset=length_given(options.outset, "--outset"),
                corners=options.corners,
                mitre_limit=options.mitre_limit,
                holes=options.holes,
                parts=options.parts,
                smallest=length_given(options.smallest, "--smallest"),
                dpi=options.dpi,
                smooth=length_given(options.smooth, "--smooth"),
                threshold=_threshold(options.threshold),
                strokes=options.strokes == "seen",
                own_line=options.line == "own",
            )
            making.choose_option("paper", options.page)
            making.artworks.keep(sticker)
        page = making.sheets.page()
        if page is None:
            raise InputError(tr("does not go onto {page} on {name}", page=options.page, name=named[0].name), "--page")
        pdf = making.sheets.pdf()
        making.sheets.printed()
        return page, pdf, {"waits": {"machine": named[0].name, "sheet": page.number}}
    finally:
        shop.close()


def _writer(file: Path) -> Callable[[ToolPath], bytes]:
    """How a cut file of that name is written. Raises InputError for a kind that isn't known."""
    from keen_compass.formats import drawings
    from keen_compass.formats.hpgl import write_hpgl

    writers: dict[str, Callable[[ToolPath], bytes]] = {
        ".plt": lambda path: write_hpgl(path).encode("ascii"),
        ".hpgl": lambda path: write_hpgl(path).encode("ascii"),
        ".svg": lambda path: drawings.write_svg(path, from_zero=True).encode(),
        ".dxf": lambda path: drawings.write_dxf(path).encode(),
    }
    if file.suffix.lower() not in writers:
        raise InputError(tr("ends in one of {writers}", writers=", ".join(writers)), str(file))
    return writers[file.suffix.lower()]
