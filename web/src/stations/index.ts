/** The seven stations, in the order of the work. */
import type { Station } from '../views/station';
import { block } from './block/station';
import { cast } from './cast/station';
import { deliver } from './deliver/station';
import { dress } from './dress/station';
import { move } from './move/station';
import { sight } from './sight/station';
import { still } from './still/station';

export const STATIONS: Station[] = [still, sight, block, cast, move, dress, deliver];
