/** What is done with what is selected in Sight. */
import type { Change } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { windows } from '../../project/windows.svelte';

const DELETING: Record<string, (id: string) => Change> = {
  trace: (trace) => ({ verb: 'DeleteTrace', trace }),
  rectangle: (rectangle) => ({ verb: 'DeleteRectangle', rectangle }),
  corner: (corner) => ({ verb: 'DropCorner', corner }),
  tape: (tape) => ({ verb: 'DeleteTape', tape }),
};

export function remove() {
  const chosen = selection.only;
  if (!chosen || !(chosen.kind in DELETING)) return;
  selection.clear();
  void project.keep(DELETING[chosen.kind](chosen.id));
}

/** Go to the trace that misses most, then to the next. */
export function nextWorst() {
  const read = project.reading?.traces ?? [];
  const order = [...read].sort(
    (a, b) => Number(b.disagrees) - Number(a.disagrees) || (b.misfit_px ?? 0) - (a.misfit_px ?? 0),
  );
  if (!order.length) return;
  const now = order.findIndex((t) => selection.has('trace', t.id));
  const id = order[(now + 1) % order.length].id;
  selection.choose('trace', id);
  const trace = project.scene?.sighting.traces?.find((t) => t.id === id);
  const plate = project.scene?.plate;
  if (!trace || !plate) return;
  const [a, b] = [trace.points[0], trace.points[trace.points.length - 1]];
  const span = Math.max(Math.hypot(b[0] - a[0], b[1] - a[1]), plate.width / 16);
  windows.frame = {
    zoom: Math.min(420 / span, 8),
    x: (a[0] + b[0]) / 2,
    y: (a[1] + b[1]) / 2,
  };
}
