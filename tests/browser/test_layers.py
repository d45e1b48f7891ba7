"""The viewport's layers against the core: how they are mixed, what they are dressed with, and
things with a picture of their own."""

from __future__ import annotations

import base64
import io
import json
import subprocess
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page

from jade_lantern.core.camera import Camera
from jade_lantern.core.dress.grade import GREY_OF_PICTURE, LUMA, graded, of_frame, tone_of
from jade_lantern.core.dress.guests import laid_on, stands
from jade_lantern.core.dress.ofscene import dress_of
from jade_lantern.core.dress.spaces import linear_of, picture_of
from jade_lantern.core.dress.table import read_table, through_table
from jade_lantern.core.picture import composite, png
from jade_lantern.core.picture.eight import in_eight_bit
from jade_lantern.core.proxy import Card
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import Depth, pyramid
from jade_lantern.core.render.relief import Slopes
from jade_lantern.core.scene.dressing import Amount, Lamp, Look, Sky, Sun, Surroundings
from jade_lantern.core.scene.dressing import Haze as SceneHaze
from jade_lantern.core.scene.guests import PictureGuest, WordsGuest
from jade_lantern.core.scene.model import Lantern, Scene
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.value import Mixing
from jade_lantern.studio import arrays, plates
from jade_lantern.studio.dressed import dress_shown
from tests.core.test_around import cap, hdr
from tests.core.test_film import smooth, textured_box
from tests.core.test_grade import cube
from tests.core.test_light import sphere
from tests.core.test_through import LENS, MOVED, sheet

RATIO = 1  # what the viewport drew is looked at
WEB = Path(__file__).parents[2] / "web"
FORMULAS = WEB / "src" / "views" / "composite.glsl"
SHOTS = [LENS.resized(1080, 720), MOVED.resized(1080, 720)]
CURVES = np.array([[0.0, 0.1, 0.9], [0.5, 0.2, 0.6], [0.6, 0.9, 0.3], [1.0, 1.0, 0.0]])

# One pixel of each formula after another, of the same two layers, in float.
MIX = """([formulas, above, below, curves, table]) => {
    const gl = new OffscreenCanvas(1, 1).getContext('webgl2');
    gl.getExtension('EXT_color_buffer_float');
    const count = above.length / 4, program = gl.createProgram();
    const add = (kind, text) => {
        const shader = gl.createShader(kind);
        gl.shaderSource(shader, '#version 300 es\\nprecision highp float;\\n' + text);
        gl.compileShader(shader);
        if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS))
            throw new Error(gl.getShaderInfoLog(shader));
        gl.attachShader(program, shader);
    };
    add(gl.VERTEX_SHADER, `void main() {
        gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0.0, 1.0); }`);
    add(gl.FRAGMENT_SHADER, formulas + `
        uniform highp sampler2D a, b, c;
        uniform highp sampler3D t;
        out vec4 mixed;
        void main() {
            ivec2 at = ivec2(gl_FragCoord.x, 0);
            vec4 above = texelFetch(a, at, 0), below = texelFetch(b, at, 0);
            int which = int(gl_FragCoord.y);
            mixed = which == 0 ? over(above, below) : which == 1 ? lighten(above, below)
                : which == 2 ? summed(above, below) : which == 3 ? difference(above, below, 8.0)
                : which == 4 ? curved(above, c)
                : which == 5 ? graded(above, vec4(0.6, 1.2, 0.7, 0.4613546), false, true, c)
                : tabled(above, t, vec3(-0.25), vec3(1.0, 1.25, 1.0));
        }`);
    gl.linkProgram(program);
    gl.useProgram(program);
    const texture = (unit, name, wide, numbers) => {
        gl.activeTexture(gl.TEXTURE0 + unit);
        gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
        gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, wide, numbers ? 1 : 7, 0, gl.RGBA, gl.FLOAT,
            numbers && new Float32Array(numbers));
        for (const filter of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER])
            gl.texParameteri(gl.TEXTURE_2D, filter, gl.NEAREST);
        if (name) gl.uniform1i(gl.getUniformLocation(program, name), unit);
        return gl.getParameter(gl.TEXTURE_BINDING_2D);
    };
    texture(0, 'a', count, above);
    texture(1, 'b', count, below);
    texture(2, 'c', curves.length / 4, curves);
    gl.activeTexture(gl.TEXTURE4);
    gl.bindTexture(gl.TEXTURE_3D, gl.createTexture());
    const side = Math.round(Math.cbrt(table.length / 4));
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA32F, side, side, side, 0, gl.RGBA, gl.FLOAT,
        new Float32Array(table));
    for (const filter of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER])
        gl.texParameteri(gl.TEXTURE_3D, filter, gl.NEAREST);
    gl.uniform1i(gl.getUniformLocation(program, 't'), 4);
    gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D,
        texture(3, null, count, null), 0);
    gl.viewport(0, 0, count, 7);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
    const out = new Float32Array(count * 28);
    gl.readPixels(0, 0, count, 7, gl.RGBA, gl.FLOAT, out);
    return [...out];
}"""


def test_the_viewport_mixes_by_the_formulas_of_the_core(page: Page) -> None:
    rng = np.random.default_rng(8)
    alpha = np.concatenate([rng.uniform(0.02, 1, 150), np.ones(80), np.zeros(10)])[:, None]
    above = np.concatenate([rng.uniform(0, 1, (240, 3)) * alpha, alpha], axis=1)
    below = rng.permutation(above)
    rows = np.concatenate([CURVES, np.ones((4, 1))], axis=1)
    page.goto("about:blank")
    data = cube(extra="DOMAIN_MIN -0.25 -0.25 -0.25\nDOMAIN_MAX 1 1.25 1\n")
    values = read_table(data).values.reshape(-1, 3)
    table = np.concatenate([values, np.ones((len(values), 1))], axis=1)
    given = [x.ravel().tolist() for x in (above, below, rows, table)]
    mixed = page.evaluate(MIX, [FORMULAS.read_text(), *given])
    drawn = np.array(mixed).reshape(7, 240, 4)
    # at a half of a step either rounding is right
    off = np.abs(composite._straight(above) - composite._straight(below)) * 255
    sure = (np.abs(off % 1 - 0.5) > 1e-3).all(axis=1)
    expected = [
        composite.over(above, below), composite.lighten(above, below),
        composite.summed(above, below), composite.difference(above, below, 8.0),
        composite.curved(above, CURVES), _graded(above), _tabled(above, data),
    ]  # fmt: skip
    for k, core in enumerate(expected):
        use = sure if k == 3 else slice(None)
        assert np.abs(drawn[k] - core)[use].max() < (1e-3 if k == 5 else 2e-5), k


def _tabled(layer: np.ndarray, data: bytes) -> np.ndarray:
    light = (layer[:, :3] / np.maximum(layer[:, 3:], 1e-6)).astype(np.float32)[None]
    out = through_table(light, data)[0].clip(0, 1)
    return np.concatenate([out * layer[:, 3:], layer[:, 3:]], axis=1)


def _graded(layer: np.ndarray) -> np.ndarray:
    """By the core's spaces, with curves that are straight between their steps."""
    alpha = layer[:, 3:]
    light = (layer[:, :3] / np.maximum(alpha, 1e-6)).astype(np.float32)
    colour = picture_of(linear_of(light) * np.float32(2**0.6)).astype(float)
    colour = (colour - GREY_OF_PICTURE) * 1.2 + GREY_OF_PICTURE
    at = colour * (len(CURVES) - 1)
    step = at.astype(int).clip(0, len(CURVES) - 2)
    k = np.arange(3)
    colour = CURVES[step, k] + (CURVES[step + 1, k] - CURVES[step, k]) * (at - step)
    luma = (colour @ LUMA)[:, None]
    return np.concatenate([(luma + (colour - luma) * 0.7).clip(0, 1) * alpha, alpha], axis=1)


@pytest.fixture(scope="module")
def stand(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The viewport's parts as one script."""
    out = tmp_path_factory.mktemp("stand")
    options = (
        f"{{ root: '{WEB}', configFile: false, logLevel: 'error', build: {{ outDir: '{out}', "
        "minify: false, lib: { entry: 'tests/stand.ts', formats: ['iife'], name: 'stand', "
        "fileName: () => 'stand.js' } } }"
    )
    make = f"import('vite').then((v) => v.build({options}))"
    subprocess.run(["node", "-e", make], cwd=WEB, check=True, timeout=120)
    return (out / "stand.js").read_text()


@pytest.fixture
def seen(page: Page, stand: str) -> Any:
    page.goto("about:blank")
    page.add_script_tag(content=stand)

    def draw(
        shot: Camera, proxies: list[Any], lanterns: list[Any], layers: list[Any], dress: Any = None
    ) -> Any:
        shown = dress or {"lights": [], "reliefs": []}
        named = [one["around"] for one in shown["lights"] if one["around"]]
        named += [one["digest"] for one in shown["reliefs"]]
        kept = {d: base64.b64encode(arrays.kept(d) or b"").decode() for d in named}
        given = {"camera": _reading(shot), "proxies": proxies, "lanterns": lanterns,
                 "layers": layers, "dress": dress, "arrays": kept}  # fmt: skip
        address = page.evaluate("(given) => seen(given)", given)
        data = np.frombuffer(base64.b64decode(address.split(",")[1]), np.uint8)
        return cv2.imdecode(data, cv2.IMREAD_COLOR_RGB)

    return draw


def _reading(camera: Camera) -> dict[str, Any]:
    return {"width": camera.width, "height": camera.height, "focal_px": camera.focal_px,
            "cx": camera.cx, "cy": camera.cy, "rotation": camera.rotation.tolist(),
            "position": camera.position.tolist()}  # fmt: skip


def _lantern(
    name: str, thrower: Thrower, picture: np.ndarray, laid: bool = False
) -> dict[str, Any]:
    address = "data:image/png;base64," + base64.b64encode(png(picture)).decode()
    return {"id": name, "digest": name, "camera": _reading(thrower.camera), "edge": thrower.edge,
            "strength": 1.0, "through": True, "alpha": picture.shape[2] == 4, "laid": laid,
            "picture": address}  # fmt: skip


def _proxy(name: str, target: Target, lantern: str) -> dict[str, Any]:
    corners = target.mesh.points[target.mesh.triangles].reshape(-1, 3)
    rest = None
    if target.laid is not None:
        places, one = target.laid.reshape(-1, 2), np.ones((len(corners), 1))
        rest = np.concatenate([one, places, one], axis=1).ravel().tolist()
    return {"id": name, "points": corners.ravel().tolist(), "rest": rest, "lanterns": [lantern]}


def guest_among_sheets(clear: bool) -> tuple[Cast, list[Any], list[Any]]:
    """A textured box through a cast sheet, with one before it and one behind it."""
    size = (480, 320)
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    own = (smooth(np.stack([x / size[0], y / size[1]], axis=-1)) * 255 + 0.5).astype(np.uint8)
    if clear:
        alpha = (127 + 120 * np.sin(x / 50) * np.cos(y / 60)).astype(np.uint8)
        own = np.dstack([own, alpha])
    box, places = textured_box(np.array([0.2, 1.5, -5.5]), (0.9, 0.6, 0.8), (20, 10, 35))
    flat = [np.full((160, 240, 3), (40 + 90 * k, 120, 230 - 90 * k), np.uint8) for k in range(3)]
    sheets = [sheet(3.5, flat[0], at=(0.6, 0.5), half=(0.25, 0.3)), sheet(9, flat[1]),
              sheet(5.5, flat[2], half=(1.6, 0.2), turn=(0.1, 0.3))]  # fmt: skip
    kind: Depth = "sixteen" if clear else "eight"
    throwers = [Thrower(LENS, pyramid(f, kind), "hold") for f in flat]
    throwers.append(Thrower.laid_on(pyramid(own, kind)))
    targets = [Target(s.mesh, (i,), i) for i, s in enumerate(sheets)]
    targets.append(Target(box, (3,), 3, laid=places * size))
    names = [f"lantern-{k}" for k in range(4)]
    lanterns = [_lantern(n, t, p, t.laid) for n, t, p in
                zip(names, throwers, [*flat, own], strict=True)]  # fmt: skip
    proxies = [_proxy(f"proxy-{k}", t, names[k]) for k, t in enumerate(targets)]
    return Cast(targets, throwers), proxies, lanterns


def blob(colour: tuple[int, int, int], cut: bool) -> np.ndarray:
    """A disc of a colour: cut out, or fading to its rim."""
    y, x = np.mgrid[0:240, 0:240] + 0.5
    away = np.hypot(x - 120, y - 120)
    alpha = 255.0 * (away < 90) if cut else 255 * (1 - away / 115).clip(0, 1)
    return np.dstack([np.broadcast_to(colour, (240, 240, 3)), alpha]).astype(np.uint8)


BLOBS = {"a" * 64: blob((240, 200, 90), True), "b" * 64: blob((250, 130, 40), False),
         "c" * 64: blob((90, 160, 250), False)}  # fmt: skip


def standing_guests() -> tuple[PictureGuest | WordsGuest, ...]:
    """A cut-out card, one that lightens, one that is added, and words with thickness, among the
    sheets."""
    plates = [
        Plate(name="blob", width=240, height=240, digest=d, format="PNG", bits=8, alpha=True)
        for d in BLOBS
    ]
    cards: list[tuple[str, float, float, float, Mixing]] = [
        ("cut", -1.3, -4.4, 1.4, "over"), ("lightens", 0.5, -4.2, 1.2, "lighten"),
        ("added", -0.6, -3.0, 1.3, "sum"),
    ]  # fmt: skip
    out: list[PictureGuest | WordsGuest] = [
        PictureGuest(id=f"guest-{10 + k}", name=name, x=x, z=z, level_m=1.0, height_m=high,
                     plate=plate, mixing=mixing, strength=0.9 if mixing == "sum" else 1.0,
                     turn_deg=10.0 * k)
        for k, ((name, x, z, high, mixing), plate) in enumerate(zip(cards, plates, strict=True))
    ]  # fmt: skip
    words = WordsGuest(
        id="guest-20", name="words", text="Quay", x=0.2, z=-5.0, level_m=0.3, height_m=0.5,
        thick_m=0.15, turn_deg=-15, colour=(0.9, 0.5, 0.3),
    )  # fmt: skip
    return (*out, words)


def guests_among_sheets(scene: Scene) -> tuple[Cast, list[Any], list[Any]]:
    """Three sheets with the scene's guests among them, for both."""
    cast, proxies, lanterns = guest_among_sheets(True)
    cast = replace(cast, targets=cast.targets[:3], throwers=cast.throwers[:3])
    there = stands(scene, np.zeros(3), lambda plate: BLOBS[plate.digest])
    laid = laid_on(there)
    throwers, targets = list(cast.throwers), list(cast.targets)
    proxies, lanterns = proxies[:3], lanterns[:3]
    for source in laid.sources:
        own, how = pyramid(source.make(), "sixteen"), source.mixing
        throwers.append(Thrower.laid_on(own, strength=source.strength, mixing=how))
    numbers = list(dict.fromkeys(one.guest.id for one in there))
    for one, k in zip(there, laid.of, strict=True):
        mesh = one.mesh.moved(one.turn, one.place)
        number = 3 + numbers.index(one.guest.id)
        targets.append(Target(mesh, (3 + k,), number, laid=one.laid))
        source, thrower = laid.sources[k], throwers[3 + k]
        lantern = _lantern(one.id, thrower, in_eight_bit(source.make()), True)
        lanterns.append({**lantern, "strength": source.strength, "mixing": source.mixing})
        proxies.append(_proxy(one.id, targets[-1], one.id))
    return Cast(targets, throwers), proxies, lanterns


def _steady(picture: np.ndarray, who: np.ndarray) -> np.ndarray:
    """Where nothing changes much from a pixel to the next: away from edges."""
    out = np.ones(who.shape, bool)
    for axis in (0, 1):
        for step in (-1, 1):
            out &= np.roll(who, step, axis) == who
            out &= np.abs(np.roll(picture, step, axis).astype(int) - picture).max(axis=2) < 16
    out[[0, -1]] = out[:, [0, -1]] = False
    return out


@pytest.mark.parametrize("shot", SHOTS, ids=["at the lens", "from elsewhere"])
@pytest.mark.parametrize("clear", [False, True], ids=["opaque", "half clear"])
def test_a_thing_with_its_own_picture_hides_and_is_hidden(
    seen: Any, shot: Camera, clear: bool
) -> None:
    cast, proxies, lanterns = guest_among_sheets(clear)
    core = film(cast, shot)
    who = film(guest_among_sheets(False)[0], shot, ("id",)).id
    picture = seen(shot, proxies, lanterns, [{"of": "cast"}])
    frame = in_eight_bit(core.beauty)
    expected = frame[..., :3].astype(int) * frame[..., 3:] // 255
    steady = _steady(expected, who)
    assert [((who == k) & steady).mean() > 0.004 for k in range(4)] == [True] * 4
    off = np.abs(picture.astype(int) - expected).max(axis=2)
    assert np.quantile(off[steady], 0.995) <= 3
    assert np.median(off[steady]) <= 1


def test_layers_of_the_viewport_are_the_cores_frames_mixed(seen: Any) -> None:
    """What the core renders of each layer, mixed by the core's formulas."""
    cast, proxies, lanterns = guest_among_sheets(False)
    whole = film(cast, SHOTS[1], ("id",))
    layer = whole.beauty / 255.0
    layer[..., :3] *= layer[..., 3:]
    steady = _steady(whole.beauty[..., :3], whole.id)
    ground = np.array([0.0, 0.0, 0.0, 1.0])

    def agree(picture: np.ndarray, expected: np.ndarray) -> None:
        off = np.abs(picture - 255 * expected[..., :3].clip(0, 1)).max(axis=2)
        assert np.quantile(off[steady], 0.995) <= 3

    part = film(replace(cast, targets=cast.targets[:3]), SHOTS[1]).beauty / 255.0
    part[..., :3] *= part[..., 3:]
    below = composite.over(composite.curved(part, CURVES) * 0.5, ground)
    for blend, by in (("lighten", composite.lighten), ("sum", composite.summed)):
        layers = [{"of": "cast", "curves": CURVES.tolist(), "strength": 0.5},
                  {"of": "cast", "blend": blend, "strength": 0.75}]  # fmt: skip
        agree(seen(SHOTS[1], proxies[:3], lanterns, layers), by(part * 0.75, below))


LAMP = Lamp(id="light-2", name="lamp", colour=(1.0, 0.8, 0.5), x=0.9, level_m=2.6, z=-4.0,
            strength=1.5, radius_m=0.05)  # fmt: skip
AROUND = Surroundings(id="light-4", name="around", picture="9" * 64, picture_name="dusk.hdr",
                      turn_deg=40.0, strength=1.4, colour=(1.0, 0.9, 0.8))  # fmt: skip
DUSK = hdr(0.2 + 3 * cap((0.6, 0.5, 0.6), 40))
DRESSED: dict[str, dict[str, Any]] = {
    "haze": {"haze": SceneHaze(colour=(0.7, 0.6, 0.8), density=0.21, start_m=3.0)},
    "low haze": {"haze": SceneHaze(colour=(0.2, 0.6, 0.9), density=0.3, fall_m=0.6, level_m=1.0)},
    "a sun that adds": {"lights": (Sun(id="light-1", name="sun", size_deg=0.3),)},
    "a soft sun for all light": {
        "lights": (Sun(id="light-1", name="sun", turn_deg=-25, height_deg=40, size_deg=5,
                       does="replaces"), Sky(id="light-3", name="sky", strength=0.3))},
    "a shadow only": {"lights": (Sun(id="light-1", name="sun", turn_deg=30, does="shades"),)},
    "a lamp": {"lights": (LAMP,)},
    "surroundings": {"lights": (AROUND,)},
    "all, but not on all": {
        "lights": (LAMP.model_copy(update={"amounts": (Amount(proxy="card-1", share=0.4),)}),
                   Sun(id="light-1", name="sun", colour=(0.6, 0.8, 1.0), does="replaces",
                       amounts=(Amount(proxy="card-3", share=0.0),))),
        "haze": SceneHaze(density=0.1, amounts=(Amount(proxy="card-2", share=0.2),)),
        "look": Look(exposure=0.4, contrast=1.2, saturation=0.6,
                     every=((0.0, 0.05), (0.5, 0.4), (1.0, 1.0)))},
    "a look of what is thrown": {
        "lights": (Sun(id="light-1", name="sun"),), "haze": SceneHaze(density=0.1),
        "lanterns": tuple(Lantern(id=f"lantern-{k}", name=f"{k}") for k in range(3)),
        "look": Look(exposure=0.4, contrast=1.3, saturation=0.5, of="thrown",
                     every=((0.0, 0.05), (0.5, 0.4), (1.0, 1.0)))},
    "a look in linear light": {
        "look": Look(exposure=-0.3, contrast=1.1, saturation=1.4, space="linear",
                     red=((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)))},
}  # fmt: skip


@pytest.fixture(autouse=True)
def a_panorama_is_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(plates, "there", lambda digest: digest == AROUND.picture)
    monkeypatch.setattr(plates, "original", lambda digest: DUSK)


def pictures_of(lanterns: list[Any]) -> list[np.ndarray]:
    """What is sent to the viewport, read again."""
    data = (base64.b64decode(one["picture"].split(",")[1]) for one in lanterns)
    return [np.array(Image.open(io.BytesIO(one))) for one in data]


def dusk(digest: str) -> bytes:
    return DUSK


@pytest.mark.parametrize("dressed", DRESSED)
@pytest.mark.parametrize("clear", [False, True], ids=["opaque", "half clear"])
def test_the_viewport_is_dressed_as_the_frame_is(seen: Any, clear: bool, dressed: str) -> None:
    """Cards stand for the sheets and the box, so that amounts have something to name."""
    cast, proxies, lanterns = guest_among_sheets(clear)
    cards = tuple(Card(id=f"card-{k + 1}", name=f"card {k}", width_m=1, height_m=1, z=-3)
                  for k in range(4))  # fmt: skip
    for proxy, card in zip(proxies, cards, strict=True):
        proxy["id"] = card.id
    plate = Plate(name="still", width=480, height=320, digest="0" * 64, format="PNG", bits=8)
    scene = Scene(name="dressed", plate=plate, proxies=cards, **DRESSED[dressed])
    shot = SHOTS[1]
    tone = tone_of(scene, dusk)
    if tone is not None:
        cast = replace(cast, throwers=[
            replace(one, plate=pyramid(tone.apply(picture), one.plate.depth))
            if lantern["id"] in tone.lanterns else one
            for one, lantern, picture in zip(cast.throwers, lanterns, pictures_of(lanterns),
                                             strict=True)
        ])  # fmt: skip
    core = film(cast, shot, dress=dress_of(scene, dusk)).beauty
    core = in_eight_bit(graded(core, of_frame(scene.look)))
    plain = in_eight_bit(film(guest_among_sheets(clear)[0], shot).beauty)
    who = film(guest_among_sheets(False)[0], shot, ("id",)).id
    shown = json.loads(dress_shown(scene).model_dump_json())
    look = None if tone else shown["look"]
    picture = seen(shot, proxies, lanterns, [{"of": "cast", "look": look}], shown)
    expected = core[..., :3].astype(int) * core[..., 3:] // 255
    light = film(cast, shot, ("light",), dress=dress_of(scene, dusk)).light.max(axis=2) ** (1 / 2.2)
    near = np.ones((9, 9), np.uint8)
    shadow_edge = cv2.dilate(light, near) - cv2.erode(light, near) > 0.06
    steady = _steady(expected, who) & (who >= 0)
    off = np.abs(picture.astype(int) - expected).max(axis=2)
    # through what is clear other shadows are seen, whose edges are not told here
    assert np.quantile(off[steady & ~shadow_edge], 0.95 if clear else 0.99) <= 3
    assert np.median(off[steady]) <= 1
    # the viewport's maps of shadows are coarser, and what is half clear has longer edges in them
    assert (off[steady] > 12).mean() < (0.05 if clear else 0.025)
    changed = np.abs(plain[..., :3].astype(int) - core[..., :3]).max(axis=2)
    assert (changed[steady] > 8).mean() > (0.01 if "shadow" in dressed else 0.04)


GUESTS: dict[str, dict[str, Any]] = {
    "as they are": {},
    "in a sun and haze": {
        "lights": (Sun(id="light-1", name="sun", turn_deg=-30, height_deg=25, does="replaces"),
                   Sky(id="light-3", name="sky", strength=0.4)),
        "haze": SceneHaze(colour=(0.6, 0.5, 0.8), density=0.12)},
    "with a lamp's shadows": {"lights": (LAMP.model_copy(update={"x": -0.4, "z": -3.4}),)},
}  # fmt: skip


@pytest.mark.parametrize("dressed", GUESTS)
@pytest.mark.parametrize("shot", SHOTS, ids=["at the lens", "from elsewhere"])
def test_guests_are_mixed_lit_and_shaded_as_in_the_frame(
    seen: Any, shot: Camera, dressed: str
) -> None:
    cards = tuple(Card(id=f"card-{k + 1}", name=f"card {k}", width_m=1, height_m=1, z=-3)
                  for k in range(3))  # fmt: skip
    plate = Plate(name="still", width=480, height=320, digest="0" * 64, format="PNG", bits=8)
    scene = Scene(name="guests", plate=plate, proxies=cards, guests=standing_guests(),
                  **GUESTS[dressed])  # fmt: skip
    cast, proxies, lanterns = guests_among_sheets(scene)
    for proxy, card in zip(proxies, cards, strict=False):
        proxy["id"] = card.id
    dress = dress_of(scene)
    made = film(cast, shot, ("id", "light"), dress=dress)
    core = in_eight_bit(made.beauty)
    shown = json.loads(dress_shown(scene).model_dump_json())
    picture = seen(shot, proxies, lanterns, [{"of": "cast"}], shown)
    expected = core[..., :3].astype(int) * core[..., 3:] // 255
    light = made.light.max(axis=2) ** (1 / 2.2)
    near = np.ones((9, 9), np.uint8)
    shadow_edge = cv2.dilate(light, near) - cv2.erode(light, near) > 0.06
    steady = _steady(expected, made.id) & (made.id >= 0)
    off = np.abs(picture.astype(int) - expected).max(axis=2)
    assert np.quantile(off[steady & ~shadow_edge], 0.985) <= 3
    assert np.median(off[steady]) <= 1
    assert (off[steady] > 12).mean() < 0.02
    with_none = film(replace(cast, targets=cast.targets[:3]), shot, dress=dress).beauty
    changed = np.abs(in_eight_bit(with_none)[..., :3].astype(int) - core[..., :3]).max(axis=2)
    assert (changed > 10).mean() > 0.06  # the guests are seen


ROUND: dict[str, tuple[Any, ...]] = {
    "a sun and a sky": (Sun(id="light-1", name="sun", turn_deg=50, height_deg=30, casters=()),
                        Sky(id="light-3", name="sky", strength=0.4)),
    "a lamp": (LAMP.model_copy(update={"casters": ()}),),
    "surroundings": (AROUND,),
}  # fmt: skip


@pytest.mark.parametrize("lights", ROUND)
@pytest.mark.parametrize("shot", SHOTS, ids=["at the lens", "from elsewhere"])
def test_what_is_bent_is_lit_as_in_the_frame(seen: Any, shot: Camera, lights: str) -> None:
    """A ball of few faces with the normals of a round one, before a sheet."""
    cast, proxies, lanterns = guest_among_sheets(False)
    middle = np.array([0.1, 1.5, -4.6])
    ball = sphere(middle, 0.7, 20, 10)
    normals = (ball.points - middle)[ball.triangles]
    grey = np.full((8, 8, 3), 180, np.uint8)
    laid = np.full((len(ball.triangles), 3, 2), 4.0)
    target = Target(ball, (3,), 3, laid=laid, normals=normals)
    thrower = Thrower.laid_on(pyramid(grey))
    cast = Cast([cast.targets[1], target], [*cast.throwers[:3], thrower])
    own = _proxy("card-4", target, "lantern-3")
    a, b, c = (ball.points[ball.triangles[:, k]] for k in range(3))
    outside = ((normals.sum(axis=1) * np.cross(b - a, c - a)).sum(axis=1) > 0)[:, None, None]
    own["bent"] = np.where(outside, normals, -normals).ravel().tolist()
    lanterns[3] = _lantern("lantern-3", thrower, grey, True)
    proxies = [{**proxies[1], "id": "card-2"}, own]
    cards = tuple(Card(id=f"card-{k}", name=f"card {k}", width_m=1, height_m=1, z=-3)
                  for k in (1, 2, 3, 4))  # fmt: skip
    plate = Plate(name="still", width=480, height=320, digest="0" * 64, format="PNG", bits=8)
    scene = Scene(name="round", plate=plate, proxies=cards, lights=ROUND[lights])
    made = film(cast, shot, ("id",), dress=dress_of(scene, dusk))
    flat = film(replace(cast, targets=[cast.targets[0], replace(target, normals=None)]), shot,
                dress=dress_of(scene, dusk)).beauty[..., :3].astype(int)  # fmt: skip
    shown = json.loads(dress_shown(scene).model_dump_json())
    picture = seen(shot, proxies, lanterns, [{"of": "cast"}], shown)
    expected = in_eight_bit(made.beauty)[..., :3].astype(int)
    steady = _steady(expected, made.id) & (made.id >= 0)
    off = np.abs(picture.astype(int) - expected).max(axis=2)
    assert ((made.id == 3) & steady).mean() > 0.01
    assert np.quantile(off[steady], 0.99) <= 3
    assert np.median(off[steady]) <= 1
    assert (np.abs(flat - expected).max(axis=2)[made.id == 3] > 4).mean() > 0.15


@pytest.mark.parametrize("shot", SHOTS, ids=["at the lens", "from elsewhere"])
@pytest.mark.parametrize("lights", ["a sun and a sky", "a lamp"])
def test_relief_is_lit_as_in_the_frame(seen: Any, shot: Camera, lights: str) -> None:
    """Waves on a sheet that is turned, and one beside it that is flat."""
    cast, proxies, lanterns = guest_among_sheets(False)
    y, x = np.mgrid[0:480, 0:720] + 0.5
    slopes = 0.5 * np.stack([np.cos(x / 9) * np.cos(y / 14), -np.sin(x / 9) * np.sin(y / 14)], 2)
    relief = Slopes.of(slopes.astype(np.float16).astype(np.float32))
    throwers = list(cast.throwers)
    throwers[2] = replace(throwers[2], relief=(relief, 1.2))
    cast = Cast(cast.targets[1:3], throwers)
    cards = tuple(Card(id=f"card-{k}", name=f"card {k}", width_m=1, height_m=1, z=-3)
                  for k in (1, 2, 3))  # fmt: skip
    proxies = [{**proxies[k], "id": cards[k].id} for k in (1, 2)]
    plate = Plate(name="still", width=480, height=320, digest="0" * 64, format="PNG", bits=8)
    scene = Scene(name="relief", plate=plate, proxies=cards, lights=ROUND[lights])
    made = film(cast, shot, ("id",), dress=dress_of(scene, dusk))
    shown = json.loads(dress_shown(scene).model_dump_json())
    shown["reliefs"] = [{
        "lantern": "lantern-2", "depth": 1.2,
        "digest": arrays.keep(relief.packed().astype("<f2").tobytes()),
        "sizes": [[level.shape[1], level.shape[0]] for level in relief.levels],
    }]  # fmt: skip
    picture = seen(shot, proxies, lanterns, [{"of": "cast"}], shown)
    expected = in_eight_bit(made.beauty)[..., :3].astype(int)
    steady = _steady(expected, made.id) & (made.id >= 0)
    off = np.abs(picture.astype(int) - expected).max(axis=2)
    assert ((made.id == 2) & steady).mean() > 0.01
    assert np.quantile(off[steady], 0.99) <= 3
    assert np.median(off[steady]) <= 1
    assert expected[(made.id == 2) & steady].std(axis=0).max() > 4
