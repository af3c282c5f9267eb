"""Objects of JSON, as they are read and written: what they hold is known once somebody has understood it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

JsonObject = dict[str, Any]
JsonMapping = Mapping[str, Any]  # one that is only read
Parameters = Mapping[str, object]  # of a piece, by name; its procedure understands them
