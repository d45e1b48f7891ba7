/** The viewport's own parts on a page of nothing else, for tests that show it what no project holds
 *  yet. `tests/browser/test_layers.py` bundles it. */
import { Color, PerspectiveCamera, Texture } from 'three';
import type { CameraReading, DressShown } from '../src/lib/api/client';
import { arrays, type MeshData } from '../src/lib/arrays';
import { aim } from '../src/views/camera';
import type { Thrown } from '../src/views/lamp';
import { plainly } from '../src/views/lookup';
import { Paper } from '../src/views/paper';
import { Screen } from '../src/views/screen';
import { runsOf } from '../src/views/layers';
import { Stage } from '../src/views/stage';
import type { Layer } from '../src/views/station';

interface Shown {
  camera: CameraReading;
  proxies: {
    id: string;
    points: number[];
    rest: number[] | null;
    bent?: number[];
    lanterns: string[];
  }[];
  arrays: Record<string, string>;
  lanterns: (Thrown & { picture: string })[];
  layers: Layer[];
  dress: DressShown | null;
}

const FRAME = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

function meshOf({ id: digest, points, rest, bent }: Shown['proxies'][number]): MeshData {
  const triangles = Uint32Array.from({ length: points.length / 3 }, (_, i) => i);
  return {
    digest,
    points: new Float32Array(points),
    triangles,
    wire: new Uint32Array(),
    rest: rest && new Float32Array(rest),
    bent: bent ? new Float32Array(bent) : null,
  };
}

/** A texture of a picture (a data URL), its alpha multiplied in, as tiles come. */
async function textureOf(picture: string): Promise<Texture> {
  const image = await (await fetch(picture)).blob();
  return plainly(new Texture(await createImageBitmap(image, { premultiplyAlpha: 'premultiply' })));
}

/** Draw a scene with the viewport, and give the picture as a data URL. */
async function seen(shown: Shown): Promise<string> {
  const { camera, proxies, lanterns, layers, dress } = shown;
  await arrays.bring({ arrays: shown.arrays, follows: {} } as never);
  const { width, height } = camera;
  document.body.innerHTML = `<canvas style="width: ${width}px; height: ${height}px"></canvas>`;
  const canvas = document.querySelector('canvas')!;
  const [screen, paper, eye] = [new Screen(canvas), new Paper(), new PerspectiveCamera()];
  paper.throwFrom(lanterns);
  for (const { id, picture, camera: own } of lanterns)
    paper.lamps.get(id)!.put(await textureOf(picture), own.width, own.height);
  const stage = new Stage(paper);
  const shapes = proxies.map((one) => ({
    id: one.id,
    frame: FRAME,
    mesh: meshOf(one),
    handles: [],
  }));
  const takes = proxies.map(({ id, lanterns: taken }) => ({
    proxy: id,
    parts: [{ lanterns: taken }],
  }));
  stage.show(proxies as never, new Map(shapes.map((s) => [s.id, s])), {
    layers,
    takes: new Map(takes.map((t) => [t.proxy, t])) as never,
    chosen: () => false,
  });
  aim(eye, camera, { x: 0, y: 0, zoom: 1, width, height });
  const region = screen.region(canvas, new Color('#000000'), (renderer) => {
    paper.dressIn(dress);
    paper.dressing.look(renderer, (named) => stage.casters(named));
    stage.lookFrom(renderer, new Map());
    stage.seenFrom(eye);
    paper.seenBy(eye, width, height, 1);
    for (const run of runsOf(layers))
      region.layers.put(run[0], () => stage.draw(renderer, eye, run));
  });
  region.deep = true;
  while (region.due) await new Promise(requestAnimationFrame);
  return canvas.toDataURL('image/png');
}

Object.assign(window, { seen });
