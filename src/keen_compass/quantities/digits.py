"""How many digits a number with its uncertainty is shown with. Light enough for the first screen."""

from __future__ import annotations

import math

from keen_compass.quantities.lengths import format_mm


def with_uncertainty(value: float, U: float) -> str:
    """``+0.97 ± 0.10``: U with two significant digits, the value rounded to match (GUM 7.2.6)."""
    decimals = two_significant(U)
    return f"{format_mm(value, decimals, signed=True)} ± {format_mm(U, decimals)}"


def two_significant(U: float) -> int:
    """Decimals at which U shows two significant digits (GUM 7.2.6), at least 0."""
    if not U > 0:
        return 3
    return max(0, 1 - math.floor(math.log10(float(f"{U:.1e}"))))
