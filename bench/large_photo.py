"""A photo of 12 megapixels of a sheet with five targets, as the window reads it: `python bench/large_photo.py`."""

from __future__ import annotations

import io
import time

from PIL import Image

from keen_compass.formats.pages import write_page
from keen_compass.formats.sheet_picture import read_sheet
from keen_compass.pieces.page import sheet
from keen_compass.standin.photo import Camera, Ink, drawn_on, printed, taken


def main() -> None:
    """Its size, then seconds by the clock and by the processor: the first time, with all that is loaded, and after."""
    page = sheet("pointer", (277.0, 190.0), 4, targets=True)
    drawn = [[(x + 0.4, y - 0.3) for x, y in map(page.on_paper, s)] for t in page.targets for s in page.drawn_at(t)[:2]]
    paper = drawn_on(printed(write_page(page, ("Pointer", "Kingfisher")), 12.2), drawn, Ink(), 1)
    camera = Camera(12.2, 4.0, (5.0, -4.0), 1.8, 0.01, light=0.2, quality=90)
    data = taken(paper, camera, 1)
    with Image.open(io.BytesIO(data)) as picture:
        print(f"{picture.width} × {picture.height} pixels, {len(data) / 1e6:.1f} MB")
    for _ in range(5):
        wall, processor = time.perf_counter(), time.process_time()
        seen = read_sheet(data, page, "photo")
        wall, processor = time.perf_counter() - wall, time.process_time() - processor
        print(f"{wall:.2f} s, {processor:.2f} s of CPU, {sum(b is not None for b in seen.beside)} of 5 targets")


if __name__ == "__main__":
    main()
