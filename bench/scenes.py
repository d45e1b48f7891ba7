"""Projects of many proxies, for whatever is timed on them."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import numpy as np

from jade_lantern.core.deliver.archive import packed
from jade_lantern.core.picture import png, read_still
from jade_lantern.core.proxy import Box, Drum, Proxy
from jade_lantern.core.scene.model import ByEye, Scene, Sighting
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.store import Memory


def bring_in(folder: str, count: int) -> None:
    """A project of so many proxies, a hundred triangles each on average, by way of an archive."""
    plate = png(np.full((200, 300, 3), 90, np.uint8))
    proxies: list[Proxy] = []
    for i in range(count):
        at = {"x": float(i % 20), "z": -float(i // 20) - 3}
        if i % 2:
            proxies.append(Drum(id=f"drum-{i + 1}", name=f"d{i}", radius_m=0.2, height_m=1, **at))
        else:
            proxies.append(
                Box(id=f"box-{i + 1}", name=f"b{i}", width_m=1, depth_m=1, height_m=1, **at)
            )
    scene = Scene(
        name=f"{count} proxies",
        plate=Plate(name="a.png", width=300, height=200, digest=read_still(plate).digest,
                    format="PNG", bits=8),
        sighting=Sighting(by_eye=ByEye(focal_px=300.0), datum=(150, 190), eye_height_m=1.6),
        proxies=tuple(proxies),
        next_id=count + 1,
    )  # fmt: skip
    archive = Path(folder) / f"{count}.zip"
    archive.write_bytes(packed(scene, Memory({scene.plate.digest: plate})))
    subprocess.run(
        [sys.executable, "-m", "jade_lantern.cli", "import", str(archive)], check=True,
        env={**os.environ, "JADE_LANTERN_DATA": folder}, stdout=subprocess.DEVNULL,
    )  # fmt: skip
