"""The manual as a folder of HTML that any browser shows, without a network."""

from __future__ import annotations

import shutil
from html import escape
from pathlib import Path

from keen_compass.language import tr
from keen_compass.words.manual import CHAPTERS, PICTURES, Topic, topic, topics

STYLE = """
body { margin: 0; display: flex; font: 17px/1.55 sans-serif; color: #18242b; background: #f5f3ed; }
nav { flex: 0 0 15em; padding: 1.5em; background: #e6e3d8; min-height: 100vh; box-sizing: border-box; }
nav a { display: block; padding: .15em 0; color: inherit; text-decoration: none; }
nav a:hover, nav a.here { text-decoration: underline; }
main { max-width: 46em; padding: 1em 2.5em 4em; }
img { max-width: 100%; border: 1px solid #c9c5b7; border-radius: 8px; }
pre { padding: .8em 1em; background: #fffefa; border: 1px solid #c9c5b7; border-radius: 8px; overflow-x: auto; }
table { border-collapse: collapse; } th, td { padding: .3em .8em; border-bottom: 1px solid #c9c5b7; text-align: left; }
@media (prefers-color-scheme: dark) { body { color: #eeeae0; background: #161b1f; }
 nav { background: #101417; } pre { background: #1f262b; } }
@media (max-width: 50em) { body { display: block; } nav { min-height: 0; } }
"""


def write_manual(folder: Path) -> list[Path]:
    """One page for each topic, `index.html` the first of them, and the pictures. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copytree(PICTURES, folder, dirs_exist_ok=True)
    files = []
    for page in topics():
        files.append(folder / f"{page.name}.html")
        files[-1].write_text(_document(page), encoding="utf-8")
    index = folder / "index.html"
    shutil.copyfile(files[0], index)
    return [index, *files]


def _document(page: Topic) -> str:
    title = escape(page.title)
    return (
        f'<!DOCTYPE html>\n<html lang="{page.code}"><head><meta charset="utf-8"><title>{title}: Keen Compass</title>'
        f'<meta name="viewport" content="width=device-width"><style>{STYLE}</style></head>\n'
        f"<body><nav>{_contents(page.name)}</nav>\n<main>{page.html}</main></body></html>\n"
    )


def _contents(here: str) -> str:
    parts = []
    for chapter, names in CHAPTERS.items():
        parts.append(f"<h4>{escape(tr(chapter))}</h4>")
        for name in names:
            mark = ' class="here"' if name == here else ""
            parts.append(f'<a href="{name}.html"{mark}>{escape(topic(name).title)}</a>')
    return "\n".join(parts)
