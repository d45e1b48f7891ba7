<script lang="ts">
  /** The plate's real pixels round a point, eight times as large. */
  import { plain } from '../lib/words';
  import type { Point } from './camera';

  let {
    at,
    image,
    width,
    right,
    bottom,
  }: {
    at: Point;
    image: HTMLImageElement;
    width: number;
    right: boolean;
    bottom: boolean;
  } = $props();

  const SIDE = 152;
  const TIMES = 8;
  let canvas: HTMLCanvasElement;

  $effect(() => {
    const g = canvas.getContext('2d')!;
    const s = image.naturalWidth / width; // a plate larger than its copy is shown as its copy is
    const span = (SIDE / TIMES) * s;
    g.imageSmoothingEnabled = false;
    g.fillStyle = '#3a3a3a';
    g.fillRect(0, 0, SIDE, SIDE);
    g.drawImage(image, at[0] * s - span / 2, at[1] * s - span / 2, span, span, 0, 0, SIDE, SIDE);
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
