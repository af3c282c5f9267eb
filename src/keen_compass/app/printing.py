"""A page to one of the system's printers, at its true size."""

from __future__ import annotations

import shutil
import subprocess

from keen_compass.errors import InputError
from keen_compass.language import tr

WAITS = 20.0  # s for the print system to take it


def printers() -> list[str]:
    """Names of the printers that are set up here."""
    from PySide6.QtPrintSupport import QPrinterInfo  # late: most never print

    return QPrinterInfo.availablePrinterNames() if shutil.which("lp") else []


def send(pdf: bytes, printer: str, copies: int) -> None:
    """Hand it over, to be printed without fitting it to the page. Raises InputError where it is refused."""
    command = ["lp", "-d", printer, "-n", str(copies), "-o", "print-scaling=none", "-"]
    try:
        done = subprocess.run(command, input=pdf, capture_output=True, timeout=WAITS, check=False)
    except (OSError, subprocess.TimeoutExpired):
        raise InputError(tr("doesn’t answer: write the PDF and print it from there"), printer) from None
    if done.returncode:
        said = done.stderr.decode(errors="replace").strip().splitlines()
        raise InputError(said[-1] if said else tr("didn’t take the page: write the PDF instead"), printer)
