"""Beginnings other than a still: nothing yet, a known camera, a picture that comes later."""
