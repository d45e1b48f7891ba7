"""Jade Lantern: from one still to a moving shot."""

__version__ = "0.1.0"
