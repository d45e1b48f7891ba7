"""Ready moves: a whole shot from one word. Each is one file, and one line here."""

from .against import Against
from .arc import Arc
from .aside import Rise, Truck
from .drift import Drift
from .low import LowPass
from .push import Push

ReadyMoves = Push | Truck | Rise | Arc | Against | LowPass | Drift

__all__ = ["Against", "Arc", "Drift", "LowPass", "Push", "ReadyMoves", "Rise", "Truck"]
