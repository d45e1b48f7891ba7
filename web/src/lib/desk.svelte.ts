/** What lies on the desk: station, tool, selection, views. Kept for the next visit, never shared. */
import type { Heading } from './api/client';

export const STATIONS = ['still', 'sight', 'block', 'cast', 'move', 'deliver'] as const;
export type Station = (typeof STATIONS)[number];
export type Tool =
  | 'none'
  | 'take'
  | 'trace'
  | 'rectangle'
  | 'corner'
  | 'datum'
  | 'tape'
  | 'floor'
  | 'card'
  | 'box'
  | 'drum';
/** The heading of the next trace, or that it takes the one it is drawn along. */
export type NextHeading = Heading | 'direction';
export type Laid = 'ground' | 'up' | 'proxy';
export type Units = 'metric' | 'feet';

/** The grid that the sighting is checked with: what it lies on, at what height or place. */
export interface Check {
  plane: 'ground' | 'across' | 'away';
  level: number;
  spacing: number;
  box: [number, number, number];
  figure: number;
}

export interface Frame {
  x: number;
  y: number;
  zoom: number;
}

class Desk {
  station = $state<Station>('still');
  tool = $state<Tool>('none');
  heading = $state<NextHeading>('across');
  laid = $state<Laid>('ground'); // what the next tape is laid on
  end = $state<number | null>(null); // the selected trace's end that the arrows move; null for all
  selected = $state<string | null>(null);
  frame = $state<Frame | null>(null); // the lens view's pan and zoom; null fits the picture
  at = $state(0); // the shot's frame under the playhead
  playing = $state(false);
  grid = $state(true);
  horizon = $state(true);
  testBox = $state(false);
  figures = $state(false);
  edges = $state(true);
  overview = $state(false);
  opinions = $state(false);
  compared = $state<string | null>(null); // a kept sighting shown beside the one in use
  units = $state<Units>('metric');
  check = $state<Check>({ plane: 'ground', level: 0, spacing: 1, box: [1, 1, 1], figure: 1.75 });
  boxAt = $state<[number, number] | null>(null);
  picture = $state(true);
  wire = $state(true);
  plate = $state(true);
  history = $state(false);

  #id = 0;

  open(id: number) {
    this.#id = id;
    this.tool = 'none';
    this.selected = null;
    this.frame = null;
    this.at = 0;
    this.playing = false;
    this.boxAt = null;
    this.end = null;
    this.compared = null;
    try {
      const kept = JSON.parse(localStorage.getItem(`desk-${id}`) ?? '{}');
      for (const k of KEPT) if (k in kept) (this as Record<string, unknown>)[k] = kept[k];
    } catch {
      // an unreadable note of where things lay only means they lie where they first did
    }
  }

  keep() {
    if (!this.#id) return;
    const kept = Object.fromEntries(KEPT.map((k) => [k, this[k]]));
    localStorage.setItem(`desk-${this.#id}`, JSON.stringify(kept));
  }

  choose(tool: Tool) {
    this.tool = this.tool === tool ? 'none' : tool;
    if (this.tool !== 'none') this.selected = this.end = null;
  }
}

const KEPT = [
  'heading',
  'selected',
  'frame',
  'at',
  'grid',
  'horizon',
  'testBox',
  'figures',
  'edges',
  'overview',
  'opinions',
  'units',
  'check',
  'boxAt',
  'picture',
  'wire',
  'plate',
] as const;

export const desk = new Desk();

/** The level that the test box and the figures stand on. */
export const boxLevel = () => (desk.check.plane === 'ground' ? desk.check.level : 0);
