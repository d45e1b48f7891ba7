/** What a station is to the views and to the shell. Each of the seven gives one such object. */
import type { Component } from 'svelte';
import type { CameraReading, DressShown } from '../lib/api/client';
import type { Window2D } from './camera';
import type { Hand, WalkHand } from './hand';

/** A switch over the lens view. */
export interface Chip {
  label: string;
  on: boolean;
  disabled?: boolean;
  press: () => void;
}

/** A grid in one of the world's planes, through a place; spacing in metres. */
export interface Grid {
  /** Bearings: their turns from Across towards Away, degrees, and tones. */
  bearings?: { turn: number; colour: string }[];
  plane: 'ground' | 'across' | 'away';
  at: [number, number, number];
  spacing: number;
}

/** A box that is only looked at: the middle of its foot, and its width, height and depth. */
export interface TestBox {
  at: [number, number, number];
  size: [number, number, number];
}

/** How far a proxy has been slid that is not kept yet, in metres along Across and Away. */
export interface Slid {
  id: string;
  dx: number;
  dz: number;
}

/** Marbles as they lie at one moment: x, y and z of each, metres. */
export interface MarblesShown {
  places: Float32Array;
  radius: number;
}

/** What 0 to 1 becomes in each channel, at even steps. */
export type Curves = readonly (readonly [number, number, number])[];

/** A grade, as the core has it (see `composite.glsl`). */
export type LookShown = NonNullable<DressShown['look']>;

/** How a layer is put onto those beneath it. */
export interface Mixing {
  blend?: 'over' | 'lighten' | 'sum' | 'difference'; // over where it is left out
  times?: number; // as strong as which a difference is shown
  strength?: number; // 0 to 1
  curves?: Curves | null;
  look?: LookShown | null;
  /** How much of the still's width it is shown on, from the left, 0 to 1: a wipe. */
  wipe?: number;
  /** It and what is beneath it are shown by turns. */
  turns?: boolean;
}

/** How faces are drawn. */
export interface Faces {
  through?: number; // how much of what is behind shows through, 0 to 1
  backs?: boolean; // faces seen from behind are drawn too; they are where it is left out
}

export type Layer = Mixing &
  (
    | { of: 'plate' } // flat, and only in the lens view
    | ({ of: 'cast'; lit?: string | null } & Faces) // lit: this lantern alone
    | ({ of: 'shade' } & Faces) // faces in plain shades
    | { of: 'wire' }
    | { of: 'grid'; grid: Grid }
    | { of: 'box'; box: TestBox }
    | { of: 'marbles'; marbles: MarblesShown }
  );

/** A line in the walk view, or only its dots. */
export interface WalkLine {
  points: readonly (readonly [number, number, number])[];
  colour: string;
  line?: boolean;
  dots?: number; // px across, at each point
}

/** Another picture of the footage that the still is one of, and the camera that took it. */
export interface Taken {
  camera: CameraReading;
  picture: number;
}

/** What a station wants drawn. */
export interface Draws {
  lines?: WalkLine[];
  layers: Layer[]; // of the lens view, the lowest first
  walk: Layer[];
  only?: string[] | null; // proxies that are shown alone
  shot: boolean; // through the shot camera, where nothing can be panned
  taken?: Taken | null; // in the lens view, in place of the still and its camera
  dress?: DressShown | null; // the light and haze that it is shown in
  slid?: Slid | null;
  says?: string | null; // at the foot of the lens view
}

/** Something that can be done in a station: by its key, by its button, from the palette. The sheet
 *  of keys, the palette and the keyboard all read this one table. */
export interface Verb {
  words: string;
  /** Its key as it is shown. */
  key?: string;
  /** Its keys by the names that tinykeys gives them. */
  on?: string[];
  /** None where the key only does something while another is under way. */
  run?: () => void;
  /** Why it cannot be done now, in words; null where it can. */
  needs?: () => string | null;
}

export interface Station {
  name: string;
  title: string;
  lit: () => 'dark' | 'part' | 'lit';
  Tray: Component;
  /** Beneath the views, in place of the readings. */
  Strip?: Component;
  /** Over the lens view: as SVG, and as a corner of it. */
  Overlay?: Component<{ win: Window2D }>;
  Corner?: Component;
  hand?: Hand;
  walkHand?: WalkHand;
  chips: () => Chip[];
  verbs: () => Verb[];
  draws: () => Draws;
}
