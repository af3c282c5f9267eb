"""Drawings and pages as artwork, on paper and in their outline, against readers that share nothing with ours."""

from __future__ import annotations

import base64
import io
import json
import socket
import subprocess
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
import shapely
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from scipy.ndimage import binary_dilation, binary_erosion, find_objects, label
from shapely import box

from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.formats import apart, tracing
from keen_compass.formats.artwork import Drawing, read_artwork
from keen_compass.formats.drawn import FINE, _outline
from keen_compass.formats.fit import fit_file
from keen_compass.formats.pages import write_page
from keen_compass.formats.pdf_artwork import read_pdf
from keen_compass.formats.svg_artwork import read_drawing
from keen_compass.formats.vectors import NotPathsError
from keen_compass.pieces.outline import Outset, outlined
from keen_compass.pieces.page import sheet
from keen_compass.progress import heard, tell
from keen_compass.solve.warp import Warp
from test_artwork import svg

PER_MM = 12  # pixels
MOST = 0.03  # how far two readers may differ within the box of an element, 0 … 1
AT = (50.0, 100.0)  # mm on paper


def picture_of(size: int) -> str:
    """A coloured picture, as an address."""
    held = io.BytesIO()
    y, x = np.mgrid[0:size, 0:size] * 255 // (size - 1)
    Image.fromarray(np.dstack([x, 255 - y, np.full_like(x, 120)]).astype(np.uint8)).save(held, "PNG")
    return "data:image/png;base64," + base64.b64encode(held.getvalue()).decode()


ACROSS = '<rect x="5" y="5" width="50" height="30" {}/>'
TWO_STOPS = '<stop offset="0" stop-color="#d33"/><stop offset="1" stop-color="#22a"/>'
SANS = 'font-family="DejaVu Sans"'
FEATURES = {
    "gradient": f'<linearGradient id="g">{TWO_STOPS}</linearGradient>' + ACROSS.format('fill="url(#g)"'),
    "gradient that reflects": '<linearGradient id="g" gradientUnits="userSpaceOnUse" x1="5" y1="5" x2="20" y2="20" '
        f'spreadMethod="reflect" gradientTransform="rotate(20)">{TWO_STOPS}</linearGradient>'
        + ACROSS.format('fill="url(#g)"'),
    "radial gradient": f'<radialGradient id="g" fx=".3" fy=".3">{TWO_STOPS}</radialGradient>'
        '<circle cx="30" cy="20" r="15" fill="url(#g)"/>',
    "gradient of another": f'<linearGradient id="a">{TWO_STOPS}</linearGradient><linearGradient id="g" '
        'xlink:href="#a" x2="0" y2="1"/>' + ACROSS.format('fill="url(#g)"'),
    "gradient that fades": '<linearGradient id="g"><stop offset="0" stop-opacity="1"/><stop offset="1" '
        'stop-opacity=".3"/></linearGradient>' + ACROSS.format('fill="url(#g)"'),
    "stroke with a gradient": f'<linearGradient id="g">{TWO_STOPS}</linearGradient>'
        '<circle cx="30" cy="20" r="12" fill="none" stroke="url(#g)" stroke-width="5"/>',
    "pattern": '<pattern id="p" width="10" height="10" patternUnits="userSpaceOnUse"><rect width="10" height="10" '
        'fill="#fd8"/><circle cx="5" cy="5" r="4" fill="#c33"/></pattern>' + ACROSS.format('fill="url(#p)"'),
    "clip": '<clipPath id="c"><circle cx="30" cy="20" r="12"/></clipPath>'
        + ACROSS.format('fill="teal" clip-path="url(#c)"'),
    "clip of a group": '<clipPath id="c"><rect x="10" y="10" width="20" height="20"/><circle cx="40" cy="20" r="8"/>'
        '</clipPath><g clip-path="url(#c)">' + ACROSS.format('fill="teal"') + '<circle cx="30" cy="20" r="12" '
        'fill="gold"/></g>',
    "clip by its box": '<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".5"/></clipPath>'
        + ACROSS.format('fill="teal" clip-path="url(#c)"'),
    "clip by the other rule": '<clipPath id="c"><path clip-rule="evenodd" d="M5 5h50v30H5zM15 10h30v20H15z"/>'
        '</clipPath><rect width="60" height="40" fill="teal" clip-path="url(#c)"/>',
    "mask": '<mask id="m"><rect width="60" height="40" fill="#fff"/><circle cx="30" cy="20" r="10"/></mask>'
        + ACROSS.format('fill="purple" mask="url(#m)"'),
    "mask that fades": '<linearGradient id="g"><stop offset="0" stop-color="#fff"/><stop offset="1" '
        'stop-color="#333"/></linearGradient><mask id="m" maskUnits="userSpaceOnUse" x="0" y="0" width="60" '
        'height="40"><rect width="60" height="40" fill="url(#g)"/></mask>'
        + ACROSS.format('fill="purple" mask="url(#m)"'),
    "group’s opacity": '<g opacity=".4"><circle cx="24" cy="20" r="12" fill="red"/><circle cx="36" cy="20" r="12" '
        'fill="blue"/></g>',
    "opacity of fill and stroke": '<circle cx="24" cy="20" r="12" fill="red" fill-opacity=".5" stroke="#000" '
        'stroke-width="4" stroke-opacity=".5"/>',
    "text": f'<text x="5" y="24" {SANS} font-size="14">Quay 27</text>',
    "bold text in the middle": '<text x="30" y="24" font-family="DejaVu Serif" font-size="16" font-weight="bold" '
        'text-anchor="middle" fill="green">Tern</text>',
    "spans": f'<text x="5" y="14" {SANS} font-size="13">A<tspan fill="red" dy="5" font-weight="bold">b</tspan>'
        '<tspan x="10" y="36">below</tspan></text>',
    "letters apart": f'<text x="5" y="24" {SANS} font-size="13" letter-spacing="2">Quay</text>',
    "text in CSS": '<style>text{font:700 14px "DejaVu Sans";fill:#046}</style><text x="5" y="24">Dock</text>',
    "picture": f'<image x="10" y="5" width="40" height="30" xlink:href="{picture_of(40)}"/>',
    "picture stretched": f'<image x="10" y="5" width="40" height="30" preserveAspectRatio="none" '
        f'href="{picture_of(40)}"/>',
    "picture cut to fit": f'<image x="10" y="5" width="40" height="30" preserveAspectRatio="xMidYMid slice" '
        f'href="{picture_of(40)}"/>',
    "nested drawing": '<svg x="10" y="5" width="20" height="30" viewBox="0 0 10 10" preserveAspectRatio="xMinYMax '
        'meet"><circle cx="5" cy="5" r="5" fill="orange"/></svg><svg x="35" y="5" width="20" height="20"><rect '
        'width="50%" height="100%"/><circle cx="20" cy="20" r="10" fill="red"/></svg>',
    "symbol with a view box": '<symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5"/></symbol><use href="#s" '
        'x="5" y="5" width="20" height="20"/><use xlink:href="#s" x="35" y="10" width="10" height="20"/>',
    "markers": '<marker id="k" orient="auto" markerWidth="4" markerHeight="4" refX="2" refY="2"><path d="M0 0L4 2L0 4z"'
        ' fill="red"/></marker><path d="M10 30L30 10L50 30" fill="none" stroke="#000" stroke-width="2" '
        'marker-start="url(#k)" marker-mid="url(#k)" marker-end="url(#k)"/>',
    "broken lines": '<path d="M5 20H55" stroke="#000" stroke-width="3" stroke-dasharray="6 3" stroke-dashoffset="2"/>',
    "stroke under unequal scales": '<g transform="scale(3 1)"><circle cx="10" cy="20" r="7" fill="none" stroke="#000" '
        'stroke-width="2"/></g>',
    "stroke that doesn’t scale": '<g transform="scale(3)"><path d="M3 3H17V10" fill="none" stroke="#000" '
        'stroke-width="2" vector-effect="non-scaling-stroke"/></g>',
    "stroke first": '<rect x="15" y="10" width="30" height="20" fill="gold" stroke="#000" stroke-width="6" '
        'paint-order="stroke"/>',
    "important": "<style>rect{fill:red!important} .a{fill:blue}</style>"
        + ACROSS.format('class="a" style="fill:green"'),
    "descendants and two classes": '<style>g rect{fill:red} g>circle{fill:blue} .a.b{stroke:lime;stroke-width:2} '
        '#k{fill:gold} rect.z, circle.z{opacity:.5}</style><g><rect x="5" y="5" width="15" height="30"/><circle '
        'cx="30" cy="20" r="8" class="a b"/><rect id="k" x="42" y="5" width="13" height="30" class="z"/></g>',
    "inherited colour": '<g color="red"><rect x="5" y="5" width="20" height="30" fill="currentColor"/></g><rect x="30" '
        'y="5" width="20" height="30" fill="hsl(120,100%,30%)"/>',
    "colours with opacity": '<rect x="5" y="5" width="20" height="30" fill="rgba(255,0,0,.5)"/><rect x="30" y="5" '
        'width="20" height="30" fill="#0f08"/>',
    "rounded corners": '<rect x="5" y="5" width="50" height="30" rx="10" fill="teal"/><rect x="15" y="15" width="20" '
        'height="10" rx="30" ry="3" fill="gold"/>',
    "negative sizes": '<rect x="5" y="5" width="-50" height="30"/><circle cx="30" cy="20" r="8" fill="red"/>',
    "switch": '<switch><rect systemLanguage="xx" x="5" y="5" width="20" height="20"/><rect x="30" y="5" width="20" '
        'height="20" fill="red"/></switch>',
    "metadata": '<metadata><rect x="5" y="5" width="50" height="30"/></metadata><title>t</title><circle cx="30" '
        'cy="20" r="8" fill="red"/>',
    "blurred": '<filter id="f"><feGaussianBlur stdDeviation="1"/></filter>'
        + ACROSS.format('fill="teal" filter="url(#f)"'),
    "blended": '<rect x="5" y="5" width="30" height="20" fill="red"/><rect x="20" y="12" width="30" height="20" '
        'fill="lime" style="mix-blend-mode:multiply"/>',
    "used in another colour": '<defs><rect id="r" width="15" height="20"/></defs><use href="#r" x="5" y="10" '
        'fill="red"/><use href="#r" x="30" y="10" fill="blue" opacity=".5"/>',
    "seen within what isn’t": '<g visibility="hidden"><rect x="5" y="5" width="20" height="20"/><rect x="30" y="5" '
        'width="20" height="20" fill="red" visibility="visible"/></g>',
}  # fmt: skip
ROOTS = {
    "units": ('<rect x="1cm" y="5mm" width="1in" height="12pt" fill="red"/><rect x="10%" y="50%" width="50%" '
              'height="2em" font-size="5" fill="blue"/>', 'width="60mm" height="40mm"'),
    "a width alone": ('<rect x="10" y="10" width="100" height="60" fill="red"/>', 'width="60mm" viewBox="0 0 120 80"'),
    "stretched": ('<circle cx="50" cy="50" r="40" fill="red"/>',
                  'width="60mm" height="40mm" viewBox="0 0 100 100" preserveAspectRatio="none"'),
    "at the right": ('<circle cx="50" cy="50" r="40" fill="red"/>',
                     'width="60mm" height="40mm" viewBox="0 0 100 100" preserveAspectRatio="xMaxYMid"'),
}  # fmt: skip
TOGETHER = "".join(
    f'<svg x="{k % 7 * 60}" y="{k // 7 * 40}" width="60" height="40">'
    f'{body.replace("#", f"#f{k}-") if "id=" in body else body}</svg>'.replace('id="', f'id="f{k}-')
    for k, body in enumerate(b for b in FEATURES.values() if "<style>" not in b and "#0" not in b and "data:" not in b)
)  # fmt: skip
DRAWINGS = {name: svg(body) for name, body in FEATURES.items()} | {
    name: svg(body, size) for name, (body, size) in ROOTS.items()
} | {"all together": svg(TOGETHER, 'width="140mm" height="80mm" viewBox="0 0 420 240"')}  # fmt: skip


def as_drawn(data: bytes, folder: Path) -> np.ndarray:
    """RGBA, 0 … 1, of an independent reader."""
    (folder / "a.svg").write_bytes(data)
    zoom = str(PER_MM * 25.4 / 96)
    subprocess.run(["rsvg-convert", "--zoom", zoom, str(folder / "a.svg"), "-o", str(folder / "a.png")], check=True)
    with Image.open(folder / "a.png") as picture:
        return np.asarray(picture.convert("RGBA"), float) / 255


def as_printed(art: Drawing, folder: Path) -> np.ndarray:
    """RGB, 0 … 1, of the place on paper where it is, as another reader of PDF shows it."""
    page = replace(sheet("proof", (297.0, 420.0), 3, targets=False), art=(AT,))
    (folder / "p.pdf").write_bytes(write_page(page, ("Quay", "sheet"), art=art))
    place = [str(round(v * PER_MM)) for v in (*AT, art.width, art.height)]
    where = [word for pair in zip(("-x", "-y", "-W", "-H"), place, strict=True) for word in pair]
    subprocess.run(["pdftoppm", "-r", str(PER_MM * 25.4), *where, "-singlefile", "-png", str(folder / "p.pdf"),
                    str(folder / "p")], check=True)  # fmt: skip
    with Image.open(folder / "p.png") as picture:
        return np.asarray(picture.convert("RGB"), float) / 255


def worst(theirs: np.ndarray, ours: np.ndarray, *, near: int) -> float:
    """How far they differ on average within the box of an element, the worst. near: pixels that belong together."""
    on_paper = theirs[..., :3] * theirs[..., 3:] + 1 - theirs[..., 3:]
    high, wide = (min(a, b) for a, b in zip(theirs.shape[:2], ours.shape[:2], strict=True))
    seen = binary_dilation(theirs[:high, :wide, 3] > 0.02, iterations=near)
    differ = np.abs(ours[:high, :wide] - on_paper[:high, :wide]).mean(axis=2)
    return max(float(differ[place].mean()) for place in find_objects(label(seen)[0]))


@pytest.mark.parametrize("name", DRAWINGS)
def test_what_is_printed_is_what_another_reader_shows(name: str, tmp_path: Path) -> None:
    art = read_drawing(DRAWINGS[name], "a.svg")
    theirs = as_drawn(DRAWINGS[name], tmp_path)
    assert dict(art.left_out) == {}
    assert worst(theirs, as_printed(art, tmp_path), near=3 * PER_MM) <= MOST
    # What is seen lies within the outline, and what isn't seen lies outside.
    rows, columns = np.indices(theirs.shape[:2])
    covered = shapely.contains_xy(art.area(), (columns + 0.5) / PER_MM, (rows + 0.5) / PER_MM)
    beside = binary_dilation(theirs[..., 3] > 0.004, iterations=2)
    assert (covered & ~beside).sum() <= 20
    assert (binary_erosion(theirs[..., 3] > 0.05, iterations=2) & ~covered).sum() <= 20


def test_a_missing_text_would_be_noticed(tmp_path: Path) -> None:
    """The check above can fail: without its text, and with its gradient flat."""
    for name, without in (("text", svg(ACROSS.format('fill="none"') + '<rect width="1" height="1"/>')),
                          ("gradient", svg(ACROSS.format('fill="#808080"')))):  # fmt: skip
        theirs = as_drawn(DRAWINGS[name], tmp_path)
        assert worst(theirs, as_printed(read_drawing(without, "a.svg"), tmp_path), near=3 * PER_MM) > 2 * MOST


@pytest.mark.parametrize("name", ["clip", "markers", "stroke under unequal scales", "symbol with a "
                                  "view box", "group’s opacity", "opacity of fill and stroke"])  # fmt: skip
def test_an_outline_from_paths_and_a_traced_one_agree(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    exact = read_drawing(DRAWINGS[name], "a.svg")
    monkeypatch.setattr("keen_compass.formats.svg_artwork.page_paths", nothing_to_follow)
    traced = read_drawing(DRAWINGS[name], "a.svg")
    assert not traced.exact
    assert exact.exact
    assert shapely.hausdorff_distance(exact.area().boundary, traced.area().boundary, 0.05) < 0.05 + 0.03
    assert exact.area().symmetric_difference(traced.area()).area / exact.area().length < 0.01


def nothing_to_follow(*_: object) -> object:
    raise NotPathsError


def test_a_faint_shape_is_seen_as_far_as_it_goes() -> None:
    """Its outline lies where it ends, however clear it is; what nobody sees has none."""
    clear = np.zeros((400, 600, 4), np.uint8)
    clear[100:300, 100:500, 3] = 60
    clear[100:300, 300:500, 3] = 255
    clear[10:40, 10:40, 3] = 3
    found = _outline(Image.fromarray(clear), 10.0)
    assert shapely.hausdorff_distance(found, box(10, 10, 50, 30)) < 0.1  # a pixel


# Pages


def page(draw: str, size: tuple[float, float] = (170.0, 113.0), **how: object) -> bytes:
    """A PDF with one kind of thing on it; points."""
    held = io.BytesIO()
    canvas = Canvas(held, pagesize=size)
    match draw:
        case "shapes":
            canvas.setFillColorRGB(0.1, 0.4, 0.5)
            canvas.roundRect(10, 10, 90, 60, 12, stroke=0, fill=1)
            canvas.setFillColorRGB(0.9, 0.6, 0.1)
            canvas.circle(120, 70, 30, stroke=0, fill=1)
        case "lines":
            canvas.setLineWidth(6)
            canvas.setLineJoin(1)
            canvas.lines([(10, 10, 100, 30), (100, 30, 40, 100)])
            canvas.bezier(20, 90, 60, 110, 120, 20, 160, 100)
        case "text":
            file = subprocess.run(["fc-match", "-f", "%{file}", "DejaVu Sans"], capture_output=True, check=True).stdout
            pdfmetrics.registerFont(TTFont("Sans", file.decode()))
            canvas.setFont("Sans", 40)
            canvas.drawString(12, 40, "Quay 7")
        case "gradient":
            canvas.linearGradient(0, 0, 170, 113, ((0.9, 0.2, 0.2), (0.1, 0.2, 0.7)))
        case "clipped":
            path = canvas.beginPath()
            path.circle(85, 56, 40)
            canvas.clipPath(path, stroke=0)
            canvas.setFillColorRGB(0.5, 0.1, 0.5)
            canvas.rect(0, 0, 85, 113, stroke=0, fill=1)
        case "clear":
            canvas.setFillAlpha(0.4)
            canvas.setFillColorRGB(0.8, 0, 0)
            canvas.rect(20, 20, 80, 60, stroke=0, fill=1)
        case "picture":
            with Image.open(io.BytesIO(base64.b64decode(picture_of(60).partition(",")[2]))) as picture:
                canvas.drawImage(ImageReader(picture), 20, 20, 120, 80)
        case "turned":
            canvas.setPageRotation(90)
            canvas.rect(20, 20, 100, 30, stroke=0, fill=1)
        case "cut":
            canvas.setCropBox((20, 10, 140, 100))
            canvas.rect(30, 30, 60, 40, stroke=0, fill=1)
        case _:
            canvas.setLineWidth(4)
            canvas.setDash(10, 6)
            canvas.line(10, 50, 160, 60)
    canvas.showPage()
    canvas.save()
    return held.getvalue()


PAGES = ("shapes", "lines", "text", "gradient", "clipped", "clear", "picture", "turned", "cut", "dashes")


@pytest.mark.parametrize("kind", PAGES)
def test_a_page_is_printed_as_another_reader_shows_it(kind: str, tmp_path: Path) -> None:
    data = page(kind)
    art = read_pdf(data, "a.pdf")
    assert art.exact == (kind not in ("text", "gradient", "picture", "dashes", "turned", "cut"))
    (tmp_path / "a.pdf").write_bytes(data)
    subprocess.run(["pdftoppm", "-cropbox", "-r", str(PER_MM * 25.4), "-singlefile", "-png", str(tmp_path / "a.pdf"),
                    str(tmp_path / "a")], check=True)  # fmt: skip
    with Image.open(tmp_path / "a.png") as picture:
        theirs = np.asarray(picture.convert("RGB"), float) / 255
    assert (art.width, art.height) == (pytest.approx(theirs.shape[1] / PER_MM, abs=0.1),
                                       pytest.approx(theirs.shape[0] / PER_MM, abs=0.1))  # fmt: skip
    inked = np.dstack([theirs, (theirs.min(axis=2) < 0.98).astype(float)])
    assert worst(inked, as_printed(art, tmp_path), near=3 * PER_MM) <= MOST
    rows, columns = np.indices(theirs.shape[:2])
    covered = shapely.contains_xy(art.area(), (columns + 0.5) / PER_MM, (rows + 0.5) / PER_MM)
    assert (covered & ~binary_dilation(inked[..., 3] > 0, iterations=2)).sum() <= 20
    assert (binary_erosion(inked[..., 3] > 0, iterations=2) & ~covered).sum() <= 20


def test_a_pdf_goes_from_a_file_to_a_print_and_its_cut(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "quay.pdf").write_bytes(page("shapes"))
    words = ["proof-job", str(tmp_path / "quay.pdf"), "--outset", "2", "--print", str(tmp_path / "p.pdf"), "--cut",
             str(tmp_path / "c.svg")]  # fmt: skip
    assert main(words) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["size"] == [pytest.approx(170 * 25.4 / 72, abs=1e-3), pytest.approx(113 * 25.4 / 72, abs=1e-3)]
    assert told["parts"] == 1
    both = pypdfium2.PdfDocument.new()
    for kind in ("shapes", "lines"):
        both.import_pages(pypdfium2.PdfDocument(page(kind)))
    held = io.BytesIO()
    both.save(held)
    assert dict(read_pdf(held.getvalue(), "two.pdf").left_out) == {"further pages": 1}
    (tmp_path / "broken.pdf").write_bytes(page("shapes")[:300])
    (tmp_path / "two.pdf").write_bytes(b"%PDF-1.4\nnothing")
    for file in ("broken.pdf", "two.pdf"):
        assert main(["outline", str(tmp_path / file), "--outset", "2", "-o", str(tmp_path / "o.svg")]) == 2
        assert file in capsys.readouterr().err


# Whoever it comes from


def test_nothing_is_fetched_and_no_file_is_read(tmp_path: Path) -> None:
    secret = tmp_path / "secret.png"
    Image.new("RGB", (60, 40), "red").save(secret)
    asked: list[str] = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]

        def serve() -> None:
            while True:
                try:
                    asked.append(str(server.accept()[1]))
                except OSError:
                    return

        threading.Thread(target=serve, daemon=True).start()
        inner = svg(f'<image width="60" height="40" href="{secret}"/><circle cx="5" cy="5" r="2"/>')
        for body in (
            f'<image width="60" height="40" href="{secret}"/>', f'<image width="60" height="40" href="file://{secret}"/>',
            f'<image width="60" height="40" xlink:href="http://127.0.0.1:{port}/a.png"/>',
            f'<style>@import url("http://127.0.0.1:{port}/a.css");</style>',
            f'<image width="60" height="40" href="data:image/svg+xml;base64,{base64.b64encode(inner).decode()}"/>',
            f'<use href="http://127.0.0.1:{port}/a.svg#b"/>',
        ):  # fmt: skip
            art = read_drawing(svg(body + '<circle cx="30" cy="20" r="4"/>'), "a.svg")
            assert art.area().area < 130, body
        server.shutdown(socket.SHUT_RDWR)
    assert asked == []


BODIES = {
    "copies": ('<g id="a0"><rect width="1" height="1"/></g>' + "".join(
        f'<g id="a{k + 1}">' + f'<use xlink:href="#a{k}"/>' * 10 + "</g>" for k in range(9)) + '<use href="#a9"/>',
        "draws .* things; at most 200,000 are taken"),
    "itself": ('<g id="a"><use href="#a"/></g><g id="b"><use href="#c"/></g><g id="c"><use href="#b"/></g>',
               "can't be drawn"),
    "rectangles": ("".join(f'<rect x="{i % 100 * 0.6}" y="{i // 100 * 0.65}" width=".3" height=".3"/>'
                           for i in range(6000)), "parts and holes; at most 5,000 are cut"),
}  # fmt: skip


@pytest.mark.parametrize("name", BODIES)
def test_what_is_too_much_is_refused_with_its_number(name: str) -> None:
    body, says = BODIES[name]
    with pytest.raises(InputError, match=says) as refused:
        read_artwork(svg(body), "bomb.svg")
    assert "bomb.svg" in str(refused.value)


def test_stipple_is_no_reason_to_refuse_a_drawing() -> None:
    """Thousands of dots that nobody cuts lie beside what is cut."""
    dots = "".join(f'<circle cx="{i % 150 * 0.38 + 1}" cy="{i // 150 * 0.38 + 1}" r=".08"/>' for i in range(7500))
    art = read_artwork(svg(dots + '<circle cx="30" cy="32" r="6"/>'), "a.svg")
    assert isinstance(art, Drawing)
    (ring,) = outlined(art.area(), Outset(1.0))
    assert (
        shapely.hausdorff_distance(shapely.Polygon(ring.points), shapely.Point(30, 32).buffer(7, quad_segs=99)) < 0.03
    )


def test_names_and_colours_may_hold_any_number() -> None:
    """Programs number what they name: gradients, clips, layers; and a colour may look like 10 to the 99."""
    art = read_drawing(svg('<linearGradient id="linearGradient10045789"><stop stop-color="#a1e99f"/></linearGradient>'
                           '<g id="layer98765432" class="c12345678"><rect x="5" y="5" width="20" height="20" '
                           'fill="url(#linearGradient10045789)"/><rect x="30" y="5" width="20" height="20" '
                           'fill="#1e9f00" style="stroke:#a1e99f;stroke-width:2"/></g>'), "a.svg")  # fmt: skip
    assert art.area().area == pytest.approx(400 + 22 * 22, rel=1e-3)


def test_a_compound_path_of_600_squares_is_read_as_it_is() -> None:
    art = read_artwork(svg('<path d="' + "".join(f"M{i % 30 * 2 + 0.3} {i // 30 * 2 + 0.3}h1.4v1.4h-1.4z"
                                                 for i in range(600)) + '"/>'), "a.svg")  # fmt: skip
    assert isinstance(art, Drawing)
    assert art.exact
    assert art.area().area == pytest.approx(600 * 1.96, rel=1e-3)
    rings = outlined(art.area(), Outset(0.2))
    assert len(rings) == 600


def test_noise_is_refused_before_it_is_traced() -> None:
    grain = np.random.default_rng(1).integers(0, 256, (2000, 2000)).astype(np.float32) / 255
    with pytest.raises(InputError, match="at most 2,000,000 are traced"):
        tracing.traced(grain, 0.5, (0.1, 0.1))
    with pytest.raises(InputError, match="parts and holes"):
        tracing.traced(grain[:300, :300], 0.5, (0.1, 0.1))
    assert len(shapely.get_parts(tracing.traced(grain[:300, :300], 0.5, (0.1, 0.1), smallest=4.0))) < 9


def test_an_answer_that_comes_right_behind_its_shares_is_not_waited_for() -> None:
    """However many arrive at once."""
    told: list[float] = []

    def slowly(share: float) -> None:
        told.append(share)
        time.sleep(0.05)  # meanwhile the rest is there

    with heard(slowly):
        apart.run_apart(tell, 0.5, name="quick", seconds=5.0)
        cut = b"IN;SP1;" + b"PU0,0;PD40,40;" * 2000
        found = apart.run_apart(fit_file, cut, Warp(), "a.plt", name="a.plt", seconds=5.0)
    assert found.drawn.strokes == 2000
    assert told[0] == 0.5
    assert len(told) > 3
    assert told[1:] == sorted(told[1:])


def test_what_takes_too_long_too_much_or_is_given_up_ends_and_the_next_goes_on() -> None:
    with pytest.raises(InputError, match=r"slow: takes longer than 0\.3 s"):
        apart.run_apart(time.sleep, 30, name="slow", seconds=0.3)
    with pytest.raises(InputError, match="large: takes more than 4 GB"):
        apart.run_apart(bytes, 5_000_000_000, name="large")
    threading.Timer(0.3, apart.give_up).start()
    with pytest.raises(InputError, match="given"):
        apart.run_apart(time.sleep, 30, name="given")
    assert apart.run_apart(max, 3, 5, name="sum") == 5
    with pytest.raises(InputError, match=r"a\.svg"):
        read_artwork(b"<svg", "a.svg")


def test_a_drawing_is_as_fine_as_what_has_to_stand_for_its_paths() -> None:
    art = read_drawing(DRAWINGS["text"], "a.svg")
    assert not art.exact
    assert art.per_mm == FINE
