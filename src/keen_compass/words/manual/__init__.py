"""The manual: Markdown pages in the order of work, one for each screen and each procedure.

The window shows them (`app/manual.py`), and `keen-compass manual` writes them as a folder of HTML. What a procedure
needs and what to rule out first stand with its other words (`words/texts`); they are put in here. `command-line.md` and
the pictures are made by `tools/make-manual`. A page in another language stands in a folder called by its code; what
isn't translated is shown in English.
"""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path
from typing import NamedTuple

from keen_compass.language import ENGLISH, language, marked, tr
from keen_compass.procedures import REGISTRY
from keen_compass.words.procedures import about, does, title

PAGES = Path(__file__).with_name("pages")
PICTURES = Path(__file__).with_name("pictures")
CHAPTERS: dict[str, tuple[str, ...]] = {
    marked("Begin here"): ("first-hour", "order-of-work"),
    marked("A round"): ("rose", "make", "measure", "correct", "confirm"),
    marked("How the machine moves"): (
        "drive-train",
        "rectangle",
        "travel-run",
        "backlash",
        "squareness",
        "home",
        "bed",
        "speed",
        "reference-lines",
    ),
    marked("What a cut takes away"): ("kerf-square", "kerf-ladder", "kerf-comb", "bevel", "focus-row", "clean-cuts"),
    marked("Heads and prints"): (
        "pointer",
        "second-tool",
        "camera",
        "drag-blade",
        "registration",
        "print-scale",
        "media-feed",
        "proof",
        "fit",
    ),
    marked("The shop"): (
        "glance",
        "wrong",
        "machine",
        "instruments",
        "stock",
        "controller",
        "together",
        "logbook",
        "paper",
    ),
    marked("Reference"): ("keys", "words", "command-line", "file-formats"),
}
# Headings of a procedure's page that are put in here, or by which its parts are told.
STEPS, NEEDED, RULED_OUT = marked("Steps"), marked("You need"), marked("Rule these out first")
IN_COMMON = marked("What each round has in common:")


class Topic(NamedTuple):
    """One page. name: a place of the window, a procedure, or a subject. text: Markdown, its title on the first line.

    code: of its language.
    """

    name: str
    title: str
    text: str
    code: str

    @property
    def html(self) -> str:
        """The page as HTML; pictures are named as they lie in `PICTURES`."""
        from markdown_it import MarkdownIt  # late: only who reads the manual needs it

        html = str(MarkdownIt("commonmark", {"html": False}).enable("table").render(self.text))
        return html.replace("\n</code></pre>", "</code></pre>")  # no empty line below a formula


def topic(name: str) -> Topic:
    """The page of that name, in the language that is spoken where there is one. Raises FileNotFoundError."""
    return _topic(name, language())


@cache
def _topic(name: str, code: str) -> Topic:
    own = PAGES / code / f"{name}.md"
    if not own.exists():
        own, code = PAGES / f"{name}.md", ENGLISH
    if name in REGISTRY and not own.exists():  # what it says of itself is a page
        text, code = f"# {title(name)}\n\n{does(name)}.\n\n## {tr(STEPS)}\n", language()
    else:
        text = own.read_text(encoding="utf-8")
    if name in REGISTRY:
        text = _with_what_is_known(name, text, code)
    return Topic(name, text.partition("\n")[0].removeprefix("# "), text, code)


def _with_what_is_known(procedure: str, text: str, code: str) -> str:
    """What one needs and what to rule out, before the steps. code: the page's language."""
    put = tr if code == language() else str  # a page that isn't translated is English all through
    known = about(procedure)
    head, steps, rest = text.partition(f"\n## {put(STEPS)}\n")
    general = ", ".join(f"[{topic(step).title}]({step}.html)" for step in CHAPTERS["A round"][1:])

    def listed(heading: str, sentences: tuple[str, ...]) -> str:
        return f"## {put(heading)}\n\n" + "".join(f"- {put(sentence)}\n" for sentence in sentences)

    return "\n".join(
        (
            head,
            listed(NEEDED, known.needs),
            listed(RULED_OUT, known.lookalikes),
            f"{steps.strip()}\n{rest}",
            f"{put(IN_COMMON)} {general}.\n",
        )
    )


def topics() -> tuple[Topic, ...]:
    """All pages, in the order of the chapters."""
    return tuple(topic(name) for names in CHAPTERS.values() for name in names)


def found(words: str) -> tuple[Topic, ...]:
    """Pages in which all of the words stand, capitals or not; those with one of them in the title first."""
    wanted = words.casefold().split()
    hits = [t for t in topics() if all(w in t.text.casefold() for w in wanted)]
    return tuple(sorted(hits, key=lambda t: not any(w in t.title.casefold() for w in wanted)))


def pictures() -> tuple[str, ...]:
    """File names of all pictures that the pages show."""
    return tuple(dict.fromkeys(name for t in topics() for name in re.findall(r"!\[[^\]]*\]\(([^)]+)\)", t.text)))
