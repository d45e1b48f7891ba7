"""Another photograph of the same place: where it was taken from is found by matching it against
what stands and is thrown already.

Features that the still and the photograph share (SIFT; Lowe 2004) lie on proxies at known places.
The camera is had from those by RANSAC over P3P at a row of focal lengths, since that of a
photograph is not known, and refined with its own focal length. Then the still, thrown and seen from
there, is compared with the photograph by optical flow, which gives places all over it: the camera
is refined by them once more, and what is left is the shift.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import cv2
import numpy as np
import scipy  # its submodules load on first use
from numpy.typing import NDArray
from pydantic import Field

from ..arrays import Bytes, Flags, Floats, Floats32
from ..camera import Camera, focal_35mm, focal_px_from_35mm, tilt_roll_yaw
from ..deadline import check_time
from ..picture.eight import white_of
from ..refusal import Refusal
from ..render.film import film
from ..render.land import Cast, Target, Thrower
from ..render.pyramid import pyramid
from ..scene.edits import Edit, PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import LanternView, Scene
from ..scene.pictures import Pictures, brought, require_one_picture
from ..sight.measure import required_camera
from ..value import Id, Point2
from .compare import compared, grey_of, only, seen_from, standing, steady, still_cast
from .ofscene import targets
from .picks import agrees, by_picks, places_under

MOST_FEATURES = 6000
CONTRAST = 0.01  # of a feature; with OpenCV's 0.04 a picture taken at dusk has a fifth of them
DISTINCT = 0.8  # how much nearer the best match has to be than the next (Lowe 2004)
FOCALS_MM = (14, 18, 22, 26, 30, 35, 40, 48, 58, 70, 85, 105, 135)  # tried first, in 35 mm terms
NEAR_PX = 4.0  # of the matched size: how far a place may be off that counts
LEAST = 12  # matched places
LEAST_SHARE = 0.15  # of the matches
FLOW_STEP = 12  # px between the places that are taken from the flow
# Of the width, within which places are off by the same, for the blocking is: so much fewer of them
# tell something of their own. With it 3 standard deviations hold the truth in 95 of 100 made pairs
# (tests/core/test_photograph).
ALIKE = 0.12
LEAST_FLOW = 60  # places
ROBUST_PX = 1.0
PASSES = 2
BY_HAND = 2.5  # times which it may be less sure where a hand has picked the places
SURE_M, SURE_FOCAL = 0.1, 0.06  # of its distance, and of itself: less sure, it is not placed


@dataclass(frozen=True)
class Placed:
    """camera: of the photograph's size. position_m, turn_deg, focal: standard deviations, the last
    as a share. matched: places that it was found by. shift: (h, w) how far the still, thrown and
    seen from there, is from the photograph, px of it; NaN where they share nothing. gain: (3,) what
    makes its colours those of the still."""

    camera: Camera
    position_m: float
    turn_deg: float
    focal: float
    matched: int
    shift: Floats32
    gain: Floats

    @property
    def shift_px(self) -> float:
        known = self.shift[np.isfinite(self.shift)]
        return float(np.median(known)) if len(known) else float("nan")


class PlacePhotograph(PictureGesture):
    """Find where a lantern's own plate was photographed from, and throw it from there, its exposure
    evened, onto what it sees first. picks: places that show the same in the still and in it, px of
    each, where too little is found by itself."""

    verb: Literal["PlacePhotograph"] = "PlacePhotograph"
    lantern: Id
    picks: Annotated[tuple[tuple[Point2, Point2], ...], Field(max_length=12)] = ()

    def memory_bytes(self, scene: Scene) -> float:
        return 60.0 * scene.plate.width * scene.plate.height

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        plate = lantern.plate
        if plate is None:
            raise Refusal(f"{lantern.name} has no picture of its own. Bring its photograph first.")
        require_one_picture(plate, "placing")
        require_one_picture(scene.plate, "placing")
        photo = pictures.deep(plate)
        still = pictures.deep(scene.plate)
        found = placed(scene, still, photo, plate.lens.focal_35mm, self.picks)
        camera = found.camera
        tilt, roll, yaw = tilt_roll_yaw(camera.rotation)
        x, y, z = camera.position.tolist()
        view = LanternView(
            position=(x, y, z), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw, width=plate.width,
            height=plate.height, focal_mm=focal_35mm(camera.focal_px, plate.width, plate.height),
        )  # fmt: skip
        new = brought(pictures, plate.name, evened(photo, found.gain))
        shift = "" if math.isnan(found.shift_px) else f", {found.shift_px:.1f} px off"
        said = f"Place {lantern.name}: ± {found.position_m:.2f} m{shift}, by {found.matched} places"
        changes = {"view": view, "window": None, "through": False, "mask": None}
        put = thrown_anew(lantern, new, stand_in=False).model_copy(update=changes)
        return PutLanterns(lanterns=(put,), said=said[:80])


def evened(photo: NDArray[Any], gain: Floats) -> NDArray[Any]:
    """A photograph with its colours multiplied by a gain (3,), in its kind."""
    white = white_of(photo.dtype)
    out = photo.copy()
    light = photo[..., :3] * gain.astype(np.float32)
    if photo.dtype.kind == "u":
        light = np.round(light.clip(0, white))
    out[..., :3] = light.astype(photo.dtype)
    return out


def placed(
    scene: Scene, still: NDArray[Any], photo: NDArray[Any], focal_mm: float | None = None,
    picks: Sequence[tuple[Point2, Point2]] = (),
) -> Placed:  # fmt: skip
    """Where a photograph was taken from. still, photo: (H, W, 3 or 4) of any kind. focal_mm: what
    its file says of its lens, in 35 mm terms. picks: places that show the same in both, px of each;
    without any they are found.

    Raises Refusal where too little matches, or what matches does not tell the place.
    """
    there = standing(scene)
    theirs = grey_of(photo)
    view = Camera.centred(theirs.shape[1], theirs.shape[0], 1.0, np.eye(3), np.zeros(3))
    if picks:
        points = places_under(scene, [a for a, _ in picks])
        pixels: Floats = np.array([b for _, b in picks], float) * (view.width / photo.shape[1])
        camera, spread = by_picks(points, pixels, view, focal_mm)
    else:
        points, pixels = _found(scene, there, still, theirs)
        camera, mine = _ransac(points, pixels, view, focal_mm)
        points, pixels = points[mine], pixels[mine]
        camera, spread = refined(points, pixels, camera)
    check_time()
    cast = still_cast(scene, still)
    for _ in range(PASSES):
        near = _flow(cast, camera, theirs)
        if near is not None:
            finer, sure = refined(*near, camera)
            if picks and not agrees(finer, points, pixels):  # it took one thing for another
                break
            camera, spread = finer, sure * (ALIKE * view.width / FLOW_STEP) ** 2
        check_time()
    _require_sure(camera, spread, points, by_hand=bool(picks))
    shift, _, gain = compared(cast, camera, photo)
    whole = camera.resized(photo.shape[1], photo.shape[0])
    sigma = np.sqrt(np.maximum(np.diag(spread), 0))
    return Placed(
        whole, float(np.linalg.norm(sigma[3:6])), float(np.degrees(np.linalg.norm(sigma[:3]))),
        float(sigma[6]), len(points), shift, gain,
    )  # fmt: skip


def _found(
    scene: Scene, there: list[Target], still: NDArray[Any], theirs: Bytes
) -> tuple[Floats, Floats]:
    """Places (N, 3) of what stands that the still and a photograph both may show, and the pixels
    (N, 2) of the photograph that do."""
    ours = grey_of(still)
    lens = required_camera(scene).resized(ours.shape[1], ours.shape[0])
    place, seen = _places(scene, there, lens)
    a, b = _matched(ours, theirs)
    inside = seen[a[:, 1].astype(int), a[:, 0].astype(int)] if len(a) else np.zeros(0, bool)
    return place[a[inside, 1].astype(int), a[inside, 0].astype(int)].astype(float), b[inside]


def _places(scene: Scene, there: list[Target], lens: Camera) -> tuple[Floats32, Flags]:
    """(h, w, 3) the places that the still's pixels show, and (h, w) whether they stand: what is
    before or behind them hides them here too."""
    blank = Thrower(lens, pyramid(np.zeros((2, 2, 3), np.uint8)))
    every = Cast([only(t) for t in targets(scene, required_camera(scene))], [blank])
    made = film(every, lens, ("position", "id"))
    assert made.position is not None
    assert made.id is not None
    stands = np.array([t.proxy for t in there])
    inner = cv2.erode(np.isin(made.id, stands).astype(np.uint8), np.ones((5, 5), np.uint8))
    return made.position, inner.astype(bool)


def _matched(ours: Bytes, theirs: Bytes) -> tuple[Floats, Floats]:
    """(N, 2) places in one picture and in the other, px, each the other's nearest."""
    finder = cv2.SIFT.create(nfeatures=MOST_FEATURES, contrastThreshold=CONTRAST)
    equal = cv2.createCLAHE(2.0, (8, 8))
    ka, da = finder.detectAndCompute(equal.apply(ours), np.empty(0, np.uint8))
    kb, db = finder.detectAndCompute(equal.apply(theirs), np.empty(0, np.uint8))
    nothing = np.zeros((0, 2))
    if da is None or db is None or len(ka) < LEAST or len(kb) < LEAST:
        return nothing, nothing
    matcher = cv2.BFMatcher.create(cv2.NORM_L2)
    forth = matcher.knnMatch(da, db, k=2)
    back = {m[0].queryIdx: m[0].trainIdx for m in matcher.knnMatch(db, da, k=1) if m}
    good = [
        m[0] for m in forth
        if len(m) == 2 and m[0].distance < DISTINCT * m[1].distance
        and back.get(m[0].trainIdx) == m[0].queryIdx
    ]  # fmt: skip
    a = np.array([ka[m.queryIdx].pt for m in good], float).reshape(-1, 2) + 0.5
    b = np.array([kb[m.trainIdx].pt for m in good], float).reshape(-1, 2) + 0.5
    return a, b


def _ransac(
    points: Floats, pixels: Floats, view: Camera, focal_mm: float | None
) -> tuple[Camera, Flags]:
    """The camera that most places (N, 3) agree on, and which. Raises Refusal where few do."""
    few = (
        "Too little of the photograph is found again in the still: {} places. It needs walls or "
        "things that stand in both, seen from not too far aside."
    )
    if len(points) < LEAST:
        raise Refusal(few.format(len(points)))
    best: tuple[int, Any] = (0, None)
    mms = FOCALS_MM if focal_mm is None else (focal_mm, *FOCALS_MM)
    for mm in mms:
        check_time()
        focal = focal_px_from_35mm(mm, view.width, view.height)
        k = np.array([[focal, 0, view.cx], [0, focal, view.cy], [0, 0, 1.0]])
        cv2.setRNGSeed(1)  # the same answer every time
        done, turn, way, mine = cv2.solvePnPRansac(
            points, pixels, k, np.zeros(4), iterationsCount=1500, reprojectionError=2 * NEAR_PX,
            confidence=0.999, flags=cv2.SOLVEPNP_AP3P,
        )  # fmt: skip
        if done and mine is not None and len(mine) > best[0]:
            best = len(mine), (focal, turn, way, mine)
    count, found = best
    if found is None or count < LEAST or count < LEAST_SHARE * len(points):
        raise Refusal(few.format(count))
    focal, turn, way, mine = found
    # OpenCV looks along +Z with +Y down
    rotation = np.diag([1.0, -1.0, -1.0]) @ cv2.Rodrigues(turn)[0]
    position = -cv2.Rodrigues(turn)[0].T @ way[:, 0]
    camera = Camera.centred(view.width, view.height, focal, rotation, position)
    which = np.zeros(len(points), bool)
    which[mine[:, 0]] = True
    for most in (2 * NEAR_PX, NEAR_PX, NEAR_PX):
        camera, _ = refined(points[which], pixels[which], camera)
        at, depth = camera.project(points)
        which = (np.linalg.norm(at - pixels, axis=1) < most) & (depth > 0)
        if which.sum() < LEAST:
            raise Refusal(few.format(int(which.sum())))
    return camera, which


def refined(points: Floats, pixels: Floats, camera: Camera) -> tuple[Camera, Floats]:
    """The camera under which places (N, 3) lie nearest to pixels (N, 2), its principal point in the
    middle, and (7, 7) the covariance of its turn (radians), place (metres) and log focal length."""
    rotation = scipy.spatial.transform.Rotation

    def moved(p: Floats) -> Camera:
        turn = rotation.from_rotvec(p[:3]).as_matrix() @ camera.rotation
        return Camera.centred(
            camera.width, camera.height, camera.focal_px * math.exp(p[6]), turn,
            camera.position + p[3:6],
        )  # fmt: skip

    def off(p: Floats) -> Floats:
        return np.asarray((moved(p).project(points)[0] - pixels).ravel(), float)

    found = scipy.optimize.least_squares(
        off, np.zeros(7), loss="soft_l1", f_scale=ROBUST_PX, x_scale="jac", max_nfev=60
    )
    rest = np.linalg.norm(off(found.x).reshape(-1, 2), axis=1)
    sigma = 1.4826 * float(np.median(rest)) / 1.1774  # of each coordinate, robustly
    square = found.jac.T @ found.jac
    spread = np.linalg.pinv(square) * max(sigma, 0.02) ** 2
    return moved(found.x), spread


def _flow(cast: Cast, camera: Camera, theirs: Bytes) -> tuple[Floats, Floats] | None:
    """Places (N, 3) all over what the still and the photograph share, and the pixels (N, 2) of the
    photograph that show them; None where that is little."""
    beauty, place = seen_from(cast, camera)
    both = cv2.erode((beauty[..., 3] == 255).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    flow, sure = steady(beauty, theirs, both)
    y, x = np.mgrid[FLOW_STEP // 2 : both.shape[0] : FLOW_STEP,
                    FLOW_STEP // 2 : both.shape[1] : FLOW_STEP]  # fmt: skip
    mine = sure[y, x]
    if mine.sum() < LEAST_FLOW:
        return None
    y, x = y[mine], x[mine]
    at = np.stack([x + 0.5, y + 0.5], axis=1) + flow[y, x]
    return place[y, x].astype(float), at.astype(float)


def _require_sure(camera: Camera, spread: Floats, points: Floats, by_hand: bool) -> None:
    sigma = np.sqrt(np.maximum(np.diag(spread), 0))
    far = float(np.median(np.linalg.norm(points - camera.position, axis=1)))
    least = BY_HAND if by_hand else 1.0
    if np.linalg.norm(sigma[3:6]) > least * SURE_M * far or sigma[6] > least * SURE_FOCAL:
        if by_hand:
            raise Refusal(
                "These places do not tell well enough where it was taken from: it was not placed. "
                "Pick one more, before or behind the others."
            )
        raise Refusal(
            "What matches lies on one flat thing, or in one corner of the photograph, so its place "
            "is not sure enough: it was not placed. Block more of what both show."
        )
