<script lang="ts">
  /** A picture in which places are picked: pressed, dragged, or moved by the arrows. */
  import Press from '../lib/Press.svelte';
  import type { Plate } from '../lib/api/client';
  import type { Point } from './camera';

  let {
    label,
    plate,
    address,
    marks = $bindable(),
    remove,
  }: {
    label: string;
    plate: Plate;
    address: string;
    marks: Point[];
    remove: (number: number) => void;
  } = $props();

  const CLOSER = 3; // times that the glass shows the picture larger
  const TALLEST = 56; // hundredths of the window's height
  const GLASS = 110; // px, its side
  const ARROWS: Record<string, Point> = {
    ArrowLeft: [-1, 0],
    ArrowRight: [1, 0],
    ArrowUp: [0, -1],
    ArrowDown: [0, 1],
  };
  let pane = $state<HTMLElement>();
  let width = $state(1);
  let dragged = $state<number | null>(null);
  let over = $state.raw<Point | null>(null);
  const scale = $derived(width / plate.width); // screen px a plate px

  function placeOf(event: PointerEvent): Point {
    const box = pane!.getBoundingClientRect();
    const at = [event.clientX - box.left, event.clientY - box.top].map((v) => v / scale);
    return [0, 1].map((k) =>
      Math.min(Math.max(at[k], 0), k ? plate.height : plate.width),
    ) as unknown as Point;
  }
  const put = (number: number, at: Point) => (marks = marks.map((p, i) => (i === number ? at : p)));
  function down(event: PointerEvent) {
    if (event.button) return;
    const at = placeOf(event);
    const near = marks.findIndex((p) => Math.hypot(p[0] - at[0], p[1] - at[1]) * scale < 10);
    dragged = near < 0 ? marks.length : near;
    if (near < 0) marks = [...marks, at];
    pane!.setPointerCapture(event.pointerId);
  }
  function move(event: PointerEvent) {
    over = placeOf(event);
    if (dragged !== null) put(dragged, over);
  }
  function keys(event: KeyboardEvent, number: number) {
    const by = ARROWS[event.key];
    if (by) put(number, [marks[number][0] + by[0], marks[number][1] + by[1]]);
    else if (event.key === 'Delete' || event.key === 'Backspace') remove(number);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<figure class="min-w-0">
  <figcaption class="mb-1 truncate text-[12px] text-quiet">{label}</figcaption>
  <div
    class="relative mx-auto cursor-crosshair touch-none overflow-hidden rounded-sm bg-surround select-none"
    role="application"
    aria-label={label}
    bind:this={pane}
    bind:clientWidth={width}
    style="aspect-ratio: {plate.width} / {plate.height}; width: min(100%, {(TALLEST * plate.width) /
      plate.height}vh)"
    onpointerdown={down}
    onpointermove={move}
    onpointerup={() => (dragged = null)}
    onpointerleave={() => (over = null)}
  >
    <img class="pointer-events-none block h-full w-full" src={address} alt="" draggable="false" />
    {#each marks as [x, y], i (i)}
      <Press
        kind="bare"
        class="pointer-events-none absolute grid h-5 w-5 -translate-1/2 place-items-center rounded-full border border-lantern text-[11px] text-lantern focus-visible:bg-ground"
        style="left: {(100 * x) / plate.width}%; top: {(100 * y) / plate.height}%"
        aria-label="Place {i + 1} in {label}"
        onkeydown={(e: KeyboardEvent) => keys(e, i)}>{i + 1}</Press
      >
    {/each}
    {#if over}
      {@const [x, y] = over}
      <div
        class="pointer-events-none absolute top-1 overflow-hidden rounded-md border border-line"
        class:left-1={x > plate.width / 2}
        class:right-1={x <= plate.width / 2}
        style="width: {GLASS}px; height: {GLASS}px; background: url({address}) {GLASS / 2 -
          CLOSER * scale * x}px {GLASS / 2 - CLOSER * scale * y}px / {CLOSER *
          width}px auto no-repeat"
      >
        <span class="absolute top-1/2 left-0 h-px w-full bg-lantern/60"></span>
        <span class="absolute top-0 left-1/2 h-full w-px bg-lantern/60"></span>
      </div>
    {/if}
  </div>
</figure>
