/** All ready moves, in the order they are offered. */
import { against } from './against';
import { arc } from './arc';
import { drift } from './drift';
import { low } from './low';
import { push } from './push';
import { rise } from './rise';
import { truck } from './truck';

export const READY = [push, truck, rise, arc, against, low, drift];
