"""What is noted when a controller's numbers are changed, in words."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES


def before_written(quantity: str, text: str) -> str:
    """Why a copy is kept before a number is changed."""
    return tr("Before {label} became {text}", label=QUANTITIES[quantity].label, text=text)


def before_sent_back(quantity: str) -> str:
    """Why a copy is kept before the logbook's number is sent again."""
    return tr("Before {label} was sent back", label=QUANTITIES[quantity].label)


def broke_off(piece: int, acknowledged: int, total: int, why: str) -> str:
    """A run over the cable that came to no end."""
    return tr(
        "Piece {piece} over the cable, {acknowledged} of {total} commands: {why}",
        piece=piece,
        acknowledged=acknowledged,
        total=total,
        why=why,
    )
