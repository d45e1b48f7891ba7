/** The change that pulling a part comes to, in either view. */
import type { Change, Part, Pick } from '../../lib/api/client';
import { parts } from './parts.svelte';
import { show } from './show.svelte';

/** What a part can be pulled along: by name, and in words. */
export const ALONG: [string, string][] = [
  ['auto', 'as it lies'],
  ['level', 'level'],
  ['sight', 'its line of sight'],
  ['view', 'facing me'],
  ['across', 'Across'],
  ['away', 'Away'],
  ['up', 'Up'],
];

/** rests: how near, px of the lens, a part comes to rest on something. */
export function pull(proxy: string, part: Part, start: Pick, to: Pick, rests: number): Change {
  const along = show.along;
  if (along === 'auto' && part.face)
    return { verb: 'PushFace', proxy, face: part.face, start, end: to };
  return {
    verb: 'PullPart',
    proxy,
    part,
    start,
    to,
    along: (along === 'auto' ? 'face' : along) as never,
    face: along === 'auto' ? (parts.now?.face ?? null) : null,
    catch_px: show.rest ? rests : 0,
    weld: show.weld && show.rest,
  };
}
