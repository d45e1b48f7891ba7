/** Moments of a shot as people type and read them: a frame, seconds, or hours:minutes:seconds:frames.
 *  Rates that are not whole count as the next whole one, as timecode without dropped frames does. */

export function timecode(frame: number, fps: number): string {
  const rate = Math.max(Math.round(fps), 1);
  const two = (v: number) => String(v).padStart(2, '0');
  const seconds = Math.floor(frame / rate);
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
  return `${h ? `${two(h)}:` : ''}${two(m)}:${two(s)}:${two(frame % rate)}`;
}

/** The frame, from 0, that is typed: "48", "2 s", "2.5s" or "00:02:12". Null where it is none. */
export function frameOf(text: string, fps: number, first = 0): number | null {
  const typed = text.trim().toLowerCase();
  if (/^\d+$/.test(typed)) return Number(typed) - first;
  const inSeconds = typed.match(/^(\d+(?:[.,]\d+)?)\s*s$/);
  if (inSeconds) return Math.round(Number(inSeconds[1].replace(',', '.')) * fps);
  if (!/^\d+(:\d+){1,3}$/.test(typed)) return null;
  const rate = Math.max(Math.round(fps), 1);
  const parts = typed.split(':').map(Number);
  const frames = parts.pop()!;
  return parts.reduce((sum, part) => sum * 60 + part, 0) * rate + frames;
}
