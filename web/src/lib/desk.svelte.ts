/** What lies on the desk: station, tool, selection, views. Kept for the next visit, never shared. */
import type { Heading } from './api/client';

export const STATIONS = ['still', 'sight', 'block', 'cast', 'move', 'deliver'] as const;
export type Station = (typeof STATIONS)[number];
export type Tool = 'none' | 'trace' | 'datum' | 'tape' | 'floor' | 'card' | 'box' | 'drum';

export interface Frame {
  x: number;
  y: number;
  zoom: number;
}

class Desk {
  station = $state<Station>('still');
  tool = $state<Tool>('none');
  heading = $state<Heading>('across');
  selected = $state<string | null>(null);
  frame = $state<Frame | null>(null); // the lens view's pan and zoom; null fits the picture
  at = $state(0); // the shot's frame under the playhead
  playing = $state(false);
  grid = $state(true);
  horizon = $state(true);
  testBox = $state(false);
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
    if (this.tool !== 'none') this.selected = null;
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
  'boxAt',
  'picture',
  'wire',
  'plate',
] as const;

export const desk = new Desk();
