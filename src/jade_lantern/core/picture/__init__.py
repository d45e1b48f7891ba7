"""Stills as arrays: read with care, upright, with what their file says of the lens; and written."""

from .still import MOST_PIXELS, Still, pixels_named, read_still
from .written import png, preview

__all__ = ["MOST_PIXELS", "Still", "pixels_named", "png", "preview", "read_still"]
