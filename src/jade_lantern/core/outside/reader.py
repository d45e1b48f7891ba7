"""The reading process: answers one question after another until its pipe is closed."""

from __future__ import annotations

import importlib
import os
import pickle
import resource
import sys
from typing import Any

from ..refusal import Refusal
from .process import LENGTH

MOST_WRITTEN = 1 << 30  # bytes of a temporary file
MOST_CPU_S = 300  # for one question: should the process that asked be gone, this one ends too
BROKEN = "This file cannot be read: it is broken, or not what its name says."


def answered(question: bytes) -> tuple[str, Any]:
    """What came of a question: ("read", answer), ("refused", words) or ("memory", None)."""
    try:
        module, name, args = pickle.loads(question)
        return "read", getattr(importlib.import_module(module), name)(*args)
    except Refusal as error:
        return "refused", str(error)
    except MemoryError:
        return "memory", None
    except Exception:  # whatever a reader says of a damaged file
        return "refused", BROKEN


def serve(asked: int, answer: int) -> None:
    with os.fdopen(asked, "rb") as questions, os.fdopen(answer, "wb") as answers:
        while len(length := questions.read(LENGTH.size)) == LENGTH.size:
            body = questions.read(LENGTH.unpack(length)[0])
            used = int(resource.getrusage(resource.RUSAGE_SELF).ru_utime)
            resource.setrlimit(resource.RLIMIT_CPU, (used + MOST_CPU_S, resource.RLIM_INFINITY))
            out = pickle.dumps(answered(body), protocol=5)
            answers.write(LENGTH.pack(len(out)) + out)
            answers.flush()


if __name__ == "__main__":
    most_bytes = int(sys.argv[3])
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, most_bytes))
    resource.setrlimit(resource.RLIMIT_FSIZE, (MOST_WRITTEN, MOST_WRITTEN))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    serve(int(sys.argv[1]), int(sys.argv[2]))
