"""Print the bench table: each figure as a ratio to its peer, with what it should reach."""

from __future__ import annotations

import sys

from . import edits, frames, load, memory, photographs, plates, sightings, tries

PARTS = (sightings, photographs, frames, tries, edits, plates, load, memory)


def main() -> int:
    missed = 0
    print(f"{'what':<58}{'against':<44}{'ratio':>7}{'reach':>8}")
    for part in PARTS:
        for row in part.rows():
            missed += row.ratio > row.reach
            mark = "" if row.ratio <= row.reach else "  <- missed"
            print(f"{row.what:<58}{row.against:<44}{row.ratio:>7.2f}{row.reach:>8.2f}{mark}")
            sys.stdout.flush()
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
