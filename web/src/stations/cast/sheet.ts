/** The cast sheet as it is shown: rows of proxies and of their faces, and what a press changes. */
import type { Taken } from '../../lib/api/client';
import type { Scene } from '../../lib/known';

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

/** A row with a lantern put behind those that it takes, or without it. */
export const withLantern = (row: Row, lantern: string, on: boolean): string[] => {
  const rest = row.lanterns.filter((id) => id !== lantern);
  return on ? [...rest, lantern] : rest;
};
