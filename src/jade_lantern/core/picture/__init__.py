"""Stills as arrays: read with care, upright, with what their file says of the lens; and written."""

from .deep import keeps_more, read_deep
from .encode import encoded, png, preview
from .levels import APRON, TILE, level_sizes, smaller, tile_of
from .still import MOST_PIXELS, Still, head_of, pixels_named, read_still

__all__ = [
    "APRON", "MOST_PIXELS", "TILE", "Still", "encoded", "head_of", "keeps_more", "level_sizes",
    "pixels_named", "png", "preview", "read_deep", "read_still", "smaller", "tile_of",
]  # fmt: skip
