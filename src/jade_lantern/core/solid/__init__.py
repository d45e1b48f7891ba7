"""Solids: points, faces as loops with holes, and the works that are done on them. A work takes a
shape and gives the next one; ids stay with their point and face through every work."""
