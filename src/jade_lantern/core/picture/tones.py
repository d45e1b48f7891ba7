"""The tones (r, g, b) in which pictures say what is wrong and what is whose, the same as on screen.
Patterns say it too, for eyes that do not tell the tones apart."""

LEAK = GONE = (255, 143, 107)  # nothing to land on; to be painted out
SPILL = (230, 138, 165)
STRETCH = CRACK = (255, 209, 102)
REVEAL = (111, 201, 216)
OWN, GRID = (79, 197, 154), (148, 168, 160)  # the wire of what takes a plate, and a grid
