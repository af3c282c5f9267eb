"""Says which share of the program's branches the tests ran, and fails below 90 %. Reads `coverage json` on stdin."""

import json
import sys

LEAST = 90.0

totals = json.load(sys.stdin)["totals"]
share = 100 * totals["covered_branches"] / max(totals["num_branches"], 1)
print(f"Branches covered: {share:.1f} % of {totals['num_branches']}")
sys.exit(share < LEAST)
