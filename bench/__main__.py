"""Print the bench table: each figure as a ratio to its peer, with what it should reach.

Run as  python -m bench [PART …]  where a part is a module of this folder.
"""

from __future__ import annotations

import sys

from . import (
    edits,
    footage,
    frames,
    load,
    memory,
    photographs,
    plates,
    scrubbing,
    sightings,
    strip,
    tries,
)

PARTS = (
    sightings, photographs, frames, footage, scrubbing, strip, tries, edits, plates, load, memory,
)  # fmt: skip


def main() -> int:
    missed, wanted = 0, set(sys.argv[1:])
    parts = {part.__name__.rpartition(".")[2]: part for part in PARTS}
    if not wanted <= parts.keys():
        print(f"The parts are: {', '.join(parts)}")
        return 2
    print(f"{'what':<58}{'against':<44}{'ratio':>7}{'reach':>8}")
    for name, part in parts.items():
        if wanted and name not in wanted:
            continue
        for row in part.rows():
            missed += row.ratio > row.reach
            mark = "" if row.ratio <= row.reach else "  <- missed"
            print(f"{row.what:<58}{row.against:<44}{row.ratio:>7.2f}{row.reach:>8.2f}{mark}")
            sys.stdout.flush()
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
