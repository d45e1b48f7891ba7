<script lang="ts">
  /** The plate's real pixels round a point, eight times as large. */
  import { plain } from '../lib/words';
  import type { Point } from './camera';
  import { partsOf, type Tiles } from './tiles';

  let { at, tiles, right, bottom }: { at: Point; tiles: Tiles; right: boolean; bottom: boolean } =
    $props();

  const SIDE = 152;
  const TIMES = 8;
  const HALF = SIDE / TIMES / 2;
  let canvas: HTMLCanvasElement;

  function cross(g: CanvasRenderingContext2D) {
    g.strokeStyle = '#ffd166';
    g.beginPath();
    for (const [x, y] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      g.moveTo(SIDE / 2 + x * 7, SIDE / 2 + y * 7);
      g.lineTo(SIDE / 2 + x * SIDE, SIDE / 2 + y * SIDE);
    }
    g.stroke();
  }

  $effect(() => {
    const levels = tiles.levels;
    const [x, y] = at;
    if (!levels) return;
    const parts = partsOf(levels, 0, [x - HALF, y - HALF, x + HALF, y + HALF]);
    let here = true;
    void Promise.all(parts.map((p) => tiles.bitmap(p)))
      .then((bitmaps) => {
        if (!here) return; // it looks elsewhere by now
        const g = canvas.getContext('2d')!;
        g.imageSmoothingEnabled = false;
        g.fillStyle = '#3a3a3a';
        g.fillRect(0, 0, SIDE, SIDE);
        bitmaps.forEach((bitmap, i) => {
          const left = Math.max(parts[i].x * levels.tile - levels.apron, 0);
          const top = Math.max(parts[i].y * levels.tile - levels.apron, 0);
          g.drawImage(
            bitmap,
            (left - x + HALF) * TIMES,
            (top - y + HALF) * TIMES,
            bitmap.width * TIMES,
            bitmap.height * TIMES,
          );
        });
        cross(g);
      })
      .catch(() => undefined); // the plate was left
    return () => (here = false);
  });
</script>

<div
  class="pointer-events-none absolute overflow-hidden rounded-lg border border-lantern"
  style="{right ? 'right' : 'left'}: 12px; {bottom ? 'bottom' : 'top'}: {bottom ? 12 : 44}px"
  aria-hidden="true"
>
  <canvas bind:this={canvas} width={SIDE} height={SIDE} class="block"></canvas>
  <span class="num absolute bottom-0 left-0 bg-[#0c1110b0] px-1 text-[12px] whitespace-nowrap"
    >{TIMES}× {plain(at[0], 1)}, {plain(at[1], 1)}</span
  >
</div>
