/** The cast sheet as it is shown: rows of proxies and of their faces, and what a press changes. */
import type { Taken } from '../../lib/api/client';
import type { Scene } from '../../project/known';

export interface Row {
  proxy: string;
  face: number | null;
  name: string;
  lanterns: readonly string[];
  own: boolean; // the sheet has a row for it
}

type Given = NonNullable<Scene['sheet']['rows']>[number];

/** What proxies take, as the core has it. */
type Takes = ReadonlyMap<string, Taken>;

const rowOf = (scene: Scene, proxy: string, face: number | null): Given | undefined =>
  scene.sheet.rows?.find((r) => r.proxy === proxy && (r.face ?? null) === face);

/** All rows, those of faces behind their proxy's. */
export function rowsOf(scene: Scene, takes: Takes): Row[] {
  const faces = new Map<string, Given[]>();
  for (const row of scene.sheet.rows ?? [])
    if (row.face != null) faces.set(row.proxy, [...(faces.get(row.proxy) ?? []), row]);
  return scene.proxies
    .filter((p) => !p.hidden)
    .flatMap((p) => [
      {
        proxy: p.id,
        face: null,
        name: p.name,
        lanterns: takes.get(p.id)?.lanterns ?? [],
        own: !!rowOf(scene, p.id, null),
      },
      ...(faces.get(p.id) ?? []).map((row) => ({
        proxy: p.id,
        face: row.face!,
        name: `face ${row.face}`,
        lanterns: row.lanterns ?? [],
        own: true,
      })),
    ]);
}

export const keyOf = (row: Row): string => `${row.proxy}/${row.face ?? ''}`;

/** What one drag over the sheet does: a lantern put into the rows that it passes, or taken out. */
export interface Stroke {
  lantern: string;
  on: boolean;
  rows: ReadonlySet<string>; // their keys
}

export const changes = (row: Row, lanterns: readonly string[], stroke: Stroke): boolean =>
  stroke.rows.has(keyOf(row)) && lanterns.includes(stroke.lantern) !== stroke.on;

/** The lanterns of a row after a stroke: a new one comes behind those that it has. */
export function stroked(row: Row, lanterns: readonly string[], stroke: Stroke): string[] {
  if (!changes(row, lanterns, stroke)) return [...lanterns];
  const rest = lanterns.filter((id) => id !== stroke.lantern);
  return stroke.on ? [...rest, stroke.lantern] : rest;
}
