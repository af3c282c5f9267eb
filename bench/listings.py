"""Random listings in every encoding: read, one number patched, everything else byte for byte, patched back.

python bench/listings.py [COUNT]
"""

from __future__ import annotations

import random
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from keen_compass.formats.listing import understood
from test_listings import ENCODINGS, encoded, random_listing  # what is made there is made apart from the reader

NUMBERS = ("106.321", "-3", "99", "0.0625")


def main(count: int) -> None:
    """Stops at the first that isn't given back."""
    rng, begun = random.Random("listings"), time.perf_counter()
    for i in range(count):
        text, said = random_listing(rng)
        name = rng.choice(list(ENCODINGS))
        data = encoded(text, name)
        listing = understood(data)
        assert listing.as_bytes() == data, (i, name, text)
        assert [(e.key, e.value) for e in listing.entries] == said, (i, name, text)
        key, old = rng.choice(said)
        patched = listing.changed({key: rng.choice(NUMBERS)})
        at = len(encoded(text[: listing.entry(key).start], name))
        rest = len(data) - len(encoded(text[: listing.entry(key).end], name))
        assert patched[:at] == data[:at], (i, name, text)
        assert not rest or patched[-rest:] == data[-rest:], (i, name, text)
        assert understood(patched).changed({key: old}) == data, (i, name, text)
    print(f"{count} listings given back in {time.perf_counter() - begun:.0f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100_000)
