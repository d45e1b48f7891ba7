"""What a client may ask for in Cast."""

from __future__ import annotations

from ..scene.edits import SetEdge

CastChange = SetEdge
