/** What the keyboard does. Every one of these is also a button somewhere. */
import { tinykeys } from 'tinykeys';
import { desk, STATIONS } from './desk.svelte';
import { project } from './project.svelte';
import { route } from './route.svelte';
import { keyHere } from '../stations/move/shot';
import type { Heading } from './api/client';

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
    ArrowRight: at('move', () => step(1)),
    ArrowLeft: at('move', () => step(-1)),
    Home: at('move', () => (desk.at = 0)),
    End: at('move', () => step(1e6)),
  });
}

/** Choose the heading for the next trace, or turn the selected one. */
export function turn(heading: Heading) {
  const selected = project.scene?.sighting?.traces?.find((t) => t.id === desk.selected);
  if (selected) {
    if (selected.heading !== heading)
      void project.keep({ verb: 'SetHeading', trace: selected.id, heading });
  } else {
    desk.heading = heading;
    desk.tool = 'trace';
  }
}

export function remove() {
  const id = desk.selected;
  if (!id) return;
  desk.selected = null;
  if (desk.station === 'sight' && id.startsWith('trace-'))
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
