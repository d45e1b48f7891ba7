/** What falls on the cast and lies in it, on the graphics card: lights with their shadows, and haze.
 *  The core's renderer is what it must agree with; a test holds the two together. */
import {
  DataTexture,
  DoubleSide,
  FloatType,
  HalfFloatType,
  Matrix3,
  Matrix4,
  NearestFilter,
  NearestMipmapNearestFilter,
  OrthographicCamera,
  PerspectiveCamera,
  RedFormat,
  RGBAFormat,
  RGFormat,
  ShaderMaterial,
  Vector3,
  Vector4,
  WebGLRenderTarget,
  type Camera,
  type IUniform,
  type WebGLRenderer,
} from 'three';
import type { DressShown, LanternShown } from '../lib/api/client';
import { partOf } from '../project/guests';
import { thrower } from './camera';
import DRESS from './dress.glsl?raw';
import type { Lamp } from './lamp';
import { LOOK, Looks, lookUniforms } from './looks';
import { PLATE, plateIn } from './lookup';
import { sheet } from './sheet';

export type LightShown = DressShown['lights'][number];
type ReliefShown = DressShown['reliefs'][number];
/** Of more lights than these the first are drawn: each has a map that takes a place on the card. */
export const MOST_LIGHTS = 6;
const SUN_SIDE = 2048; // px
const LAMP_SIDE = 512; // of each of its six sides
const MARGIN = 8;
const SPREAD = 1.2;
const CELL = 32;
const NEAR = 1e-4;
const AHEAD = [1, -1, 1, -1, 1, -1].map((s, i) => {
  const v = new Vector3();
  v.setComponent(i >> 1, s);
  return v;
});
const DOWN = AHEAD.map((_, i) => (i >> 1 === 1 ? new Vector3(0, 0, 1) : new Vector3(0, -1, 0)));

/** What the code for some lights differs by. */
export const structureOf = (dress: DressShown | null) =>
  dress
    ? [
        onLayers(dress) ? 'toned' : 'plain',
        ...lightsOf(dress).map((one) => `${one.kind}-${one.does}`),
      ].join(' ')
    : '';
/** A look of single layers takes two places on the card itself. */
const lightsOf = (dress: DressShown) =>
  dress.lights.slice(0, onLayers(dress) ? MOST_LIGHTS - 1 : MOST_LIGHTS);
const onLayers = (dress: DressShown) => dress.look?.on_layers ?? null;

/** The look of what is thrown, or of chosen layers, on a picture before it is lit. */
const TONED = /* glsl */ `
  ${LOOK}
  uniform bool tones; // whether this picture has it
  vec4 toned(vec4 colour) {
    if (!tones || colour.a <= 0.0) return colour;
    vec4 made = graded(colour, look, linear, bent, curves);
    return hasTable ? tabled(made, table, low, high) : made;
  }`;

/** Whether a light comes from all sides, so that nothing casts a shadow of it. */
const spread = (one: LightShown) => one.kind === 'sky' || one.kind === 'surroundings';

/** The code that lights what is cast. plane: its normal, towards the eye; normal: by which light falls
 *  on it. */
export function dressCode(dress: DressShown): string {
  const lights = lightsOf(dress);
  const declared = lights.map(
    (_, k) => `
    uniform highp vec3 energy${k};
    uniform highp vec3 place${k};
    uniform highp float size${k};
    uniform highp float most${k};
    uniform highp float share${k};
    uniform bool shadows${k};
    uniform highp mat4 onto${k};
    uniform highp sampler2D map${k};
    uniform highp sampler2D peaks${k};`,
  );
  const each = lights.map(({ kind, does }, k) => {
    if (kind === 'sky') return `lit += energy${k} * share${k} * 0.5 * (1.0 + normal.y);`;
    if (kind === 'surroundings')
      return `if (shadows${k}) lit += energy${k} * share${k} * around(map${k}, place${k}.x, normal);`;
    const seen =
      kind === 'sun'
        ? `seesSun(map${k}, peaks${k}, onto${k}, size${k}, place, plane, wide)`
        : `seesLamp(map${k}, peaks${k}, place${k}, size${k}, most${k}, place, plane, wide)`;
    const away = kind === 'sun' ? `normalize(place${k})` : `(place${k} - place)`;
    const falls =
      does === 'shades'
        ? kind === 'sun'
          ? 'clamp(4.0 * facing, 0.0, 1.0)'
          : '1.0'
        : kind === 'sun'
          ? 'facing'
          : 'facing / (dot(away, away) * length(away))';
    const put =
      does === 'shades'
        ? `left *= 1.0 - min(energy${k}.r * share${k} * falls, 1.0) * (1.0 - seen);`
        : `lit += energy${k} * share${k} * falls * seen;`;
    return `{
      highp vec3 away = ${away};
      highp float facing = dot(normal, away);
      if (facing > 0.0 && share${k} > 0.0 && (!stands || dot(plane, away) > 0.0)) {
        highp float falls = ${falls};
        float seen = shadows${k} ? ${seen} : 1.0;
        ${put}
      }
    }`;
  });
  const rests = lights.flatMap(({ does }, k) =>
    does === 'replaces' ? [`rest = min(rest, 1.0 - min(share${k}, 1.0));`] : [],
  );
  return `
  ${DRESS}
  ${declared.join('')}
  ${onLayers(dress) ? TONED : 'vec4 toned(vec4 colour) { return colour; }'}
  vec4 dressed(
    vec4 colour, highp vec3 place, highp vec3 plane, highp vec3 normal, highp vec3 eye,
    highp float depth
  ) {
    highp vec3 lit = vec3(0.0);
    float left = 1.0, rest = 1.0;
    highp float wide = depth * pixelWide;
    bool stands = reliefLevels > 0;
    if (stands) normal = reliefNormal(place, plane, wide);
    ${rests.join('\n')}
    ${each.join('\n')}
    colour.rgb *= pow((lit + rest) * left, vec3(1.0 / GAMMA));
    if (hazeColour.a * air > 0.0) {
      highp vec3 ray = place - eye;
      highp float far = length(ray);
      highp float through = passesHaze(eye.y, ray.y / far, far);
      colour.rgb = through * colour.rgb + (1.0 - through) * colour.a * hazeColour.rgb;
    }
    return colour;
  }`;
}

/** Writes nearness: metres along a sun's way, or one over the depth before a lamp. */
const nearnessMaterial = () =>
  new ShaderMaterial({
    side: DoubleSide,
    uniforms: {
      onto: { value: new Matrix4() },
      parallel: { value: true },
      cut: { value: false },
      lit: { value: 1 },
      ...plateIn(),
    },
    vertexShader: /* glsl */ `
      attribute vec4 rest;
      varying highp vec2 laid;
      uniform highp mat4 onto;
      uniform bool parallel;
      varying highp float near;
      varying highp float deep;
      void main() {
        vec4 world = modelMatrix * vec4(position, 1.0);
        near = (onto * world).z;
        laid = rest.yz;
        vec4 seen = viewMatrix * world;
        deep = -seen.z;
        gl_Position = projectionMatrix * seen;
      }`,
    fragmentShader: /* glsl */ `
      ${PLATE}
      uniform bool parallel;
      uniform bool cut; // its picture is laid on it, and casts no shadow where it is clear
      uniform float lit;
      varying highp vec2 laid;
      varying highp float near;
      varying highp float deep;
      void main() {
        if (cut && texture2D(plate, laid / size).a * lit <= 0.5) discard;
        gl_FragColor = vec4(parallel ? near : 1.0 / deep, 0.0, 0.0, 1.0);
      }`,
  });

/** Let what is drawn with the material of shadows be cut out by the picture that is laid on it. */
export function cutBy(material: ShaderMaterial, lamp: Lamp | null) {
  const { uniforms: u } = material;
  u.cut.value = !!lamp?.whole.uniforms.plate.value;
  if (lamp)
    for (const name of ['plate', 'size', 'texels', 'lit'])
      u[name].value = lamp.whole.uniforms[name].value;
  material.uniformsNeedUpdate = true;
}

/** The largest number of the texels of a cell, and so many cells around it. */
const PEAKS = /* glsl */ `
  uniform highp sampler2D map;
  uniform int side;
  uniform int reach;
  void main() {
    ivec2 size = textureSize(map, 0), cell = ivec2(gl_FragCoord.xy);
    ivec2 first = max((cell - reach) * side, ivec2(0)), end = min((cell + reach + 1) * side, size);
    float most = 0.0;
    for (int y = first.y; y < end.y; y++)
      for (int x = first.x; x < end.x; x++) most = max(most, texelFetch(map, ivec2(x, y), 0).r);
    gl_FragColor = vec4(most, 0.0, 0.0, 1.0);
  }`;

/** What shadows are drawn of. */
export interface Casters {
  /** The corners of its triangles, metres, nine numbers each; and what tells when that changes. */
  corners: Float64Array;
  standing: string;
  /** Draw those that are named with a material. */
  draw: (renderer: WebGLRenderer, camera: Camera, material: ShaderMaterial, only: string[]) => void;
}

interface LightMap {
  target: WebGLRenderTarget;
  peaks: WebGLRenderTarget; // the most nearness within each cell and those around it
  of: string;
  most: number; // the nearness of what is nearest
  onto: Matrix4;
}

export class Dressing {
  readonly uniforms: Record<string, IUniform> = {
    hazeColour: { value: new Vector4() },
    hazeReach: { value: new Vector3() },
    air: { value: 1 },
    pixelWide: { value: 0 },
    ...lookUniforms(),
    reliefMap: { value: null },
    reliefLevels: { value: 0 },
    reliefFrom: { value: new Vector3() },
    reliefOnto: { value: new Matrix3() },
    reliefRays: { value: new Matrix3() },
    reliefFit: { value: new Vector3() },
  };
  shown: DressShown | null = null;
  #maps = new Map<string, LightMap>();
  #nearness = nearnessMaterial();
  #peaks = sheet(PEAKS, { map: { value: null }, side: { value: 1 }, reach: { value: 0 } });
  #around = new Map<string, DataTexture>();
  #slopes = new Map<string, DataTexture>();
  #first: WebGLRenderTarget | null = null;

  #read: (digest: string) => Float32Array;
  #looks: Looks;
  #halves: (digest: string) => Uint16Array;

  /** Arrays by their digest. read: the colours of a map of light from all around; halves: slopes. */
  constructor(read: (digest: string) => Float32Array, halves: (digest: string) => Uint16Array) {
    this.#read = read;
    this.#looks = new Looks(read);
    this.#halves = halves;
    for (let k = 0; k < MOST_LIGHTS; k++)
      Object.assign(this.uniforms, {
        [`energy${k}`]: { value: new Vector3() },
        [`place${k}`]: { value: new Vector3(0, 1, 0) },
        [`size${k}`]: { value: 0 },
        [`most${k}`]: { value: 1 },
        [`share${k}`]: { value: 1 },
        [`shadows${k}`]: { value: false },
        [`onto${k}`]: { value: new Matrix4() },
        [`map${k}`]: { value: null },
        [`peaks${k}`]: { value: null },
      });
  }

  /** What is seen is dressed with this from now on. */
  put(dress: DressShown | null) {
    this.shown = dress;
    if (!dress) return;
    const { uniforms: u } = this;
    const { colour, density, start, fall, level } = dress.haze ?? {
      colour: [0, 0, 0],
      density: 0,
      start: 0,
      fall: 0,
      level: 0,
    };
    this.#looks.put(u, onLayers(dress) ? dress.look : null);
    const kept = new Set(dress.reliefs.map((one) => one.digest));
    for (const [digest, texture] of this.#slopes)
      if (!kept.has(digest)) {
        texture.dispose();
        this.#slopes.delete(digest);
      }
    (u.hazeColour.value as Vector4).set(colour[0], colour[1], colour[2], density);
    (u.hazeReach.value as Vector3).set(start, fall, level);
    lightsOf(dress).forEach((one, k) => {
      (u[`energy${k}`].value as Vector3).set(...one.energy);
      (u[`place${k}`].value as Vector3).set(...one.place);
      u[`size${k}`].value = one.size;
    });
  }

  /** Say how wide a pixel is at unit depth. */
  seenBy(camera: PerspectiveCamera, height: number) {
    this.uniforms.pixelWide.value = 2 / (height * camera.projectionMatrix.elements[5]);
  }

  /** Whether the look is on what is thrown or laid by this name, and not on the frame. */
  tones(id: string) {
    const on = this.shown && onLayers(this.shown);
    return !!on && on.includes(partOf(id));
  }

  /** What a proxy takes of it, before it is drawn. thrown: the lanterns on it, the first of which that
   *  has relief gives it to it. */
  take(proxy: string, thrown: readonly LanternShown[] = []) {
    if (!this.shown) return;
    this.#reliefBy(thrown);
    this.uniforms.air.value = this.shown.haze?.shares[proxy] ?? 1;
    lightsOf(this.shown).forEach((one, k) => {
      this.uniforms[`share${k}`].value = one.shares[proxy] ?? 1;
    });
  }

  /** Draw what lights see, of those for which something has changed. */
  look(renderer: WebGLRenderer, casters: (named: ReadonlySet<string>) => Casters) {
    if (!this.shown?.lights.length) return;
    const there = new Set<string>();
    const named = new Set(lightsOf(this.shown).flatMap((one) => one.casters));
    const { corners, standing, draw } = casters(named);
    lightsOf(this.shown).forEach((one, k) => {
      if (one.around) {
        this.uniforms[`shadows${k}`].value = true;
        this.uniforms[`map${k}`].value = this.#aroundOf(one.around);
        return;
      }
      const shadows = !spread(one) && corners.length > 0;
      this.uniforms[`shadows${k}`].value = shadows;
      if (!shadows) return;
      there.add(one.id);
      const of = JSON.stringify([one.kind, one.place, one.casters, standing]);
      const onto = this.uniforms[`onto${k}`].value as Matrix4;
      let map = this.#maps.get(one.id);
      if (map?.of !== of) {
        map ??= mapOf(one.kind);
        map.of = of;
        this.#maps.set(one.id, map);
        const was = renderer.getRenderTarget();
        renderer.setClearColor(0x000000, 0);
        if (one.kind === 'sun') this.#drawSun(renderer, one, map, corners, draw);
        else this.#drawLamp(renderer, one, map, corners, draw);
        this.#drawPeaks(renderer, map);
        renderer.setRenderTarget(was);
      }
      onto.copy(map.onto);
      this.uniforms[`most${k}`].value = map.most;
      this.uniforms[`map${k}`].value = map.target.texture;
      this.uniforms[`peaks${k}`].value = map.peaks.texture;
    });
    const seen = new Set(lightsOf(this.shown).map((one) => one.around));
    for (const [digest, texture] of this.#around)
      if (!seen.has(digest)) {
        texture.dispose();
        this.#around.delete(digest);
      }
    for (const [id, map] of this.#maps)
      if (!there.has(id)) {
        map.target.dispose();
        map.peaks.dispose();
        this.#maps.delete(id);
      }
  }

  #reliefBy(thrown: readonly LanternShown[]) {
    const u = this.uniforms;
    u.reliefLevels.value = 0;
    for (const { id, camera, laid } of thrown) {
      const relief = this.shown!.reliefs.find((one) => one.lantern === id);
      if (!relief || laid) continue;
      const texture = this.#slopesOf(relief);
      u.reliefMap.value = texture;
      u.reliefLevels.value = relief.sizes.length;
      (u.reliefFrom.value as Vector3).set(...camera.position);
      const onto = (u.reliefOnto.value as Matrix3).setFromMatrix4(thrower(camera));
      (u.reliefRays.value as Matrix3).copy(onto).invert();
      const per = camera.width / relief.sizes[0][0];
      (u.reliefFit.value as Vector3).set(per, camera.focal_px, relief.depth);
      return;
    }
  }

  #slopesOf({ digest, sizes }: ReliefShown): DataTexture {
    let found = this.#slopes.get(digest);
    if (!found) {
      const halves = this.#halves(digest);
      let begin = 0;
      const levels = sizes.map(([width, height]) => {
        const data = halves.subarray(begin, (begin += 2 * width * height));
        return { data, width, height };
      });
      const [{ width, height }] = levels;
      found = new DataTexture(levels[0].data, width, height, RGFormat, HalfFloatType);
      found.mipmaps = levels as never;
      found.generateMipmaps = false;
      found.minFilter = NearestMipmapNearestFilter;
      found.needsUpdate = true;
      this.#slopes.set(digest, found);
    }
    return found;
  }

  /** A map of light from all around; one that is not shown any more is let go. */
  #aroundOf(digest: string): DataTexture {
    let found = this.#around.get(digest);
    if (!found) {
      const numbers = this.#read(digest);
      const side = Math.sqrt(numbers.length / 4);
      found = new DataTexture(numbers, side, side, RGBAFormat, FloatType);
      found.needsUpdate = true;
      this.#around.set(digest, found);
    }
    return found;
  }

  #drawSun(
    renderer: WebGLRenderer,
    one: LightShown,
    map: LightMap,
    corners: Float64Array,
    draw: Casters['draw'],
  ) {
    const onto = map.onto.copy(sunOnto(one, corners));
    const camera = new OrthographicCamera();
    // from the world to clip space; what is nearer is drawn over what is not
    const [x, y, z] = [0, 1, 2].map((r) => row(onto, r));
    const s = 2 / SUN_SIDE;
    const span = onto.elements[15] * 0.5;
    // prettier-ignore
    camera.projectionMatrix.set(
      s * x.x, s * x.y, s * x.z, s * x.w - 1,
      s * y.x, s * y.y, s * y.z, s * y.w - 1,
      (-2 * z.x) / span, (-2 * z.y) / span, (-2 * z.z) / span, (-2 * z.w) / span + 3,
      0, 0, 0, 1);
    camera.matrixWorldAutoUpdate = false;
    const u = this.#nearness.uniforms;
    u.onto.value.copy(onto);
    u.parallel.value = true;
    map.target.scissorTest = false;
    map.target.viewport.set(0, 0, SUN_SIDE, SUN_SIDE);
    renderer.setRenderTarget(map.target);
    renderer.clear();
    draw(renderer, camera, this.#nearness, one.casters);
  }

  #drawLamp(
    renderer: WebGLRenderer,
    one: LightShown,
    map: LightMap,
    corners: Float64Array,
    draw: Casters['draw'],
  ) {
    const from = new Vector3(...one.place);
    let far = 1e-3;
    for (let i = 0; i < corners.length; i += 3)
      far = Math.max(far, from.distanceTo({ x: corners[i], y: corners[i + 1], z: corners[i + 2] }));
    const near = Math.max(NEAR * far, 1e-6);
    map.most = Math.sqrt(3) / Math.max(leastDistance(corners, from), near);
    const u = this.#nearness.uniforms;
    u.parallel.value = false;
    renderer.setRenderTarget(map.target);
    map.target.scissorTest = true;
    for (let face = 0; face < 6; face++) {
      const corner = [face % 3, Math.floor(face / 3)].map((n) => n * LAMP_SIDE);
      map.target.viewport.set(corner[0], corner[1], LAMP_SIDE, LAMP_SIDE);
      map.target.scissor.set(corner[0], corner[1], LAMP_SIDE, LAMP_SIDE);
      renderer.setRenderTarget(map.target);
      renderer.clear();
      const camera = new PerspectiveCamera();
      const right = new Vector3().crossVectors(DOWN[face], AHEAD[face]);
      // rows of the texture go up, and those of the map go down: so does this camera's own up
      camera.matrixWorld.makeBasis(right, DOWN[face], AHEAD[face].clone().negate());
      camera.matrixWorld.setPosition(from);
      camera.matrixWorldInverse.copy(camera.matrixWorld).invert();
      camera.matrixWorldAutoUpdate = false;
      const f = 1 / SPREAD;
      const c = -(far + near) / (far - near);
      // prettier-ignore
      camera.projectionMatrix.set(
        f, 0, 0, 0, 0, f, 0, 0, 0, 0, c, (-2 * far * near) / (far - near), 0, 0, -1, 0);
      draw(renderer, camera, this.#nearness, one.casters);
    }
  }

  /** Twice over: the most of each cell, and then of those around it. */
  #drawPeaks(renderer: WebGLRenderer, { target, peaks }: LightMap) {
    const first = (this.#first ??= nearTarget(1, 1));
    first.setSize(peaks.width, peaks.height);
    const u = this.#peaks.material.uniforms;
    for (const [from, to, side, reach] of [
      [target, first, CELL, 0],
      [first, peaks, 1, 1],
    ] as const) {
      u.map.value = from.texture;
      u.side.value = side;
      u.reach.value = reach;
      renderer.setRenderTarget(to);
      this.#peaks.draw(renderer);
    }
  }

  dispose() {
    for (const { target, peaks } of this.#maps.values())
      [target, peaks].forEach((t) => t.dispose());
    this.#maps.clear();
    for (const texture of [...this.#around.values(), ...this.#slopes.values()]) texture.dispose();
    this.#around.clear();
    this.#slopes.clear();
    this.#first?.dispose();
    this.#peaks.dispose();
    this.#looks.dispose();
    this.#nearness.dispose();
  }
}

const row = ({ elements: e }: Matrix4, r: number) =>
  new Vector4(e[r], e[r + 4], e[r + 8], e[r + 12]);

const nearTarget = (width: number, height: number) =>
  new WebGLRenderTarget(width, height, {
    type: FloatType,
    format: RedFormat,
    minFilter: NearestFilter,
    magFilter: NearestFilter,
    generateMipmaps: false,
  });

function mapOf(kind: LightShown['kind']): LightMap {
  const [w, h] = kind === 'sun' ? [SUN_SIDE, SUN_SIDE] : [3 * LAMP_SIDE, 2 * LAMP_SIDE];
  const [target, peaks] = [nearTarget(w, h), nearTarget(w / CELL, h / CELL)];
  return { target, peaks, of: '', most: 1, onto: new Matrix4() };
}

/** From the world to the pixels of a sun's map, and to nearness: from one to two spans of what stands
 *  there; twice the span in the corner, where there is always 1 otherwise. */
export function sunOnto(one: LightShown, corners: Float64Array): Matrix4 {
  const way = new Vector3(...one.place).normalize();
  const a = way.toArray().map(Math.abs);
  const aside = new Vector3().setComponent(a.indexOf(Math.min(...a)), 1);
  const right = new Vector3().crossVectors(aside, way).normalize();
  const up = new Vector3().crossVectors(way, right);
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (let i = 0; i < corners.length; i += 3)
    [right, up, way].forEach((axis, k) => {
      const along = axis.x * corners[i] + axis.y * corners[i + 1] + axis.z * corners[i + 2];
      low[k] = Math.min(low[k], along);
      high[k] = Math.max(high[k], along);
    });
  const span = Math.max(high[2] - low[2], 1e-6);
  const scale = (SUN_SIDE - 2 * MARGIN) / Math.max(high[0] - low[0], high[1] - low[1], 1e-9);
  // prettier-ignore
  return new Matrix4().set(
    right.x * scale, right.y * scale, right.z * scale, MARGIN - low[0] * scale,
    up.x * scale, up.y * scale, up.z * scale, MARGIN - low[1] * scale,
    way.x, way.y, way.z, span - low[2],
    0, 0, 0, 2 * span);
}

/** A distance within which there is none of some triangles. */
function leastDistance(corners: Float64Array, from: Vector3): number {
  const at = (i: number) => new Vector3(corners[i], corners[i + 1], corners[i + 2]).sub(from);
  let least = Infinity;
  for (let i = 0; i + 8 < corners.length; i += 9) {
    const [a, b, c] = [at(i), at(i + 3), at(i + 6)];
    const side = Math.max(a.distanceTo(b), b.distanceTo(c), c.distanceTo(a));
    const normal = new Vector3().subVectors(b, a).cross(new Vector3().subVectors(c, a));
    const byPlane = Math.abs(normal.dot(a)) / Math.max(normal.length(), Number.MIN_VALUE);
    least = Math.min(least, Math.max(byPlane, Math.min(a.length(), b.length(), c.length()) - side));
  }
  return least;
}
