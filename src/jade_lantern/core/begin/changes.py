"""What a client may ask for of the still itself."""

from __future__ import annotations

from ..scene.edits import BringStillBack, ReplaceStill

BeginChange = ReplaceStill | BringStillBack
