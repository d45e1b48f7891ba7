/** What the keyboard does. Every one of these is also a button somewhere. */
import { tinykeys } from 'tinykeys';
import { desk, STATIONS, type NextHeading } from './desk.svelte';
import { project } from './project.svelte';
import { route } from './route.svelte';
import { keyHere } from '../stations/move/shot';
import { sightHand } from '../stations/sight/hand.svelte';

const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && !!e.target.closest('input, select, textarea, [role=dialog]');

export function listen(): () => void {
  const only = (work: (e: KeyboardEvent) => void) => (e: KeyboardEvent) => {
    if (typing(e) || route.project === null) return;
    e.preventDefault();
    work(e);
  };
  const at = (station: string, work: () => void) =>
    only(() => {
      if (desk.station === station) work();
    });
  return tinykeys(window, {
    '$mod+z': only(() => void project.undo()),
    '$mod+Shift+z': only(() => void project.redo()),
    '$mod+y': only(() => void project.redo()),
    Escape: only(() => {
      sightHand.cancel();
      project.drop();
      desk.tool = 'none';
      desk.history = false;
    }),
    ...Object.fromEntries(
      STATIONS.map((s, i) => [`Alt+${i + 1}`, only(() => route.go(route.project, s))]),
    ),
    '0': only(() => (desk.frame = null)),
    t: at('sight', () => desk.choose('trace')),
    d: at('sight', () => desk.choose('datum')),
    m: at('sight', () => desk.choose('tape')),
    e: at('sight', () => desk.choose('take')),
    r: at('sight', () => desk.choose('rectangle')),
    c: at('sight', () => desk.choose('corner')),
    g: at('sight', () => void project.keep({ verb: 'TakeSpread' })),
    n: at('sight', () => void project.keep({ verb: 'TakeAdvised' })),
    j: at('sight', nextWorst),
    '4': at('sight', () => turn('direction')),
    '1': at('sight', () => turn('across')),
    '2': at('sight', () => turn('away')),
    '3': at('sight', () => turn('up')),
    Delete: only(remove),
    Backspace: only(remove),
    '$mod+d': at('block', () => {
      if (desk.selected) void project.keep({ verb: 'DuplicateProxy', proxy: desk.selected });
    }),
    k: at('move', keyHere),
    ' ': (e) => {
      if (typing(e) || e.target instanceof HTMLButtonElement) return;
      if (desk.station === 'move') {
        e.preventDefault();
        desk.playing = !desk.playing;
      }
    },
    ...Object.fromEntries(
      ARROWS.flatMap(([key, dx, dy]) => [
        [key, only(() => arrow(dx, dy, 0.1))],
        [`Shift+${key}`, only(() => arrow(dx, dy, 1))],
      ]),
    ),
    Home: at('move', () => (desk.at = 0)),
    End: at('move', () => step(1e6)),
  });
}

const ARROWS: [string, number, number][] = [
  ['ArrowRight', 1, 0],
  ['ArrowLeft', -1, 0],
  ['ArrowUp', 0, -1],
  ['ArrowDown', 0, 1],
];

/** In Move the arrows step through frames; in Sight they nudge what is selected. */
function arrow(dx: number, dy: number, by: number) {
  if (desk.station === 'move') step(dx * (by === 1 ? 10 : 1));
  else if (desk.station === 'sight') sightHand.nudge(dx * by, dy * by);
}

/** Go to the trace that misses most, then to the next. */
export function nextWorst() {
  const read = project.reading?.traces ?? [];
  const order = [...read].sort(
    (a, b) => Number(b.disagrees) - Number(a.disagrees) || (b.misfit_px ?? 0) - (a.misfit_px ?? 0),
  );
  if (!order.length) return;
  const now = order.findIndex((t) => t.id === desk.selected);
  const id = order[(now + 1) % order.length].id;
  desk.selected = id;
  desk.end = null;
  const trace = project.scene?.sighting?.traces?.find((t) => t.id === id);
  const plate = project.scene?.plate;
  if (!trace || !plate) return;
  const [a, b] = [trace.points[0], trace.points[trace.points.length - 1]];
  const span = Math.max(Math.hypot(b[0] - a[0], b[1] - a[1]), plate.width / 16);
  desk.frame = {
    zoom: Math.min(420 / span, 8),
    x: (a[0] + b[0]) / 2,
    y: (a[1] + b[1]) / 2,
  };
}

/** Choose the heading for the next trace, or turn the selected one. */
export function turn(heading: NextHeading) {
  const selected = project.scene?.sighting?.traces?.find((t) => t.id === desk.selected);
  if (selected) {
    if (heading === 'direction') void project.keep({ verb: 'HeadByDirection', trace: selected.id });
    else if (selected.heading !== heading)
      void project.keep({ verb: 'SetHeading', trace: selected.id, heading });
  } else {
    desk.heading = heading;
    desk.tool = 'trace';
  }
}

export function remove() {
  const id = desk.selected;
  if (!id) return;
  desk.selected = desk.end = null;
  if (desk.station === 'sight' && id.startsWith('rectangle-'))
    void project.keep({ verb: 'DeleteRectangle', rectangle: id });
  else if (desk.station === 'sight' && id.startsWith('corner-'))
    void project.keep({ verb: 'DropCorner', corner: id });
  else if (desk.station === 'sight' && id.startsWith('trace-'))
    void project.keep({ verb: 'DeleteTrace', trace: id });
  else if (desk.station === 'sight' && id.startsWith('tape-'))
    void project.keep({ verb: 'DeleteTape', tape: id });
  else if (desk.station === 'block') void project.keep({ verb: 'DeleteProxy', proxy: id });
  else desk.selected = id;
}

function step(by: number) {
  const last = (project.scene?.move?.frames ?? 1) - 1;
  desk.playing = false;
  desk.at = Math.min(Math.max(Math.round(desk.at) + by, 0), last);
}
