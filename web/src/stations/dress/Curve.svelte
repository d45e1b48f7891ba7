<script lang="ts">
  /** A curve by its points: press to add one, drag it, double click or Delete to take it away. The
   *  line between them is worked out as the core's is: a monotone cubic. */
  import { monotone } from './monotone';

  type Points = [number, number][];
  let {
    label,
    points,
    ontry,
    onkeep,
  }: {
    label: string;
    points: readonly (readonly [number, number] | readonly number[])[];
    ontry: (points: Points) => void;
    onkeep: (points: Points) => void;
  } = $props();

  const SIDE = 150;
  const NEAR = 9; // px
  const MOST = 16;
  const APART = 0.01;
  let dragged = $state.raw<Points | null>(null);
  let held = $state<number | null>(null);
  let svg: SVGSVGElement;
  const kept = $derived<Points>(
    points.length
      ? points.map(([x, y]) => [x, y])
      : [
          [0, 0],
          [1, 1],
        ],
  );
  const shown = $derived(dragged ?? kept);
  const line = $derived.by(() => {
    const at = monotone(shown);
    return Array.from({ length: 76 }, (_, i) => {
      const y = Math.min(Math.max(at(i / 75), 0), 1);
      return `${i ? 'L' : 'M'}${(i / 75) * SIDE} ${(1 - y) * SIDE}`;
    }).join('');
  });

  function placed(e: PointerEvent | MouseEvent): [number, number] {
    const box = svg.getBoundingClientRect();
    const [x, y] = [(e.clientX - box.left) / box.width, 1 - (e.clientY - box.top) / box.height];
    return [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1)];
  }
  const under = ([x, y]: [number, number]) =>
    shown.findIndex(([a, b]) => Math.hypot(a - x, b - y) * SIDE < NEAR);

  function down(e: PointerEvent) {
    svg.setPointerCapture(e.pointerId);
    const at = placed(e);
    held = under(at);
    dragged = shown.map(([x, y]) => [x, y]);
    if (held < 0) {
      if (dragged.length >= MOST) return up();
      held = dragged.findIndex(([x]) => x > at[0]);
      if (held < 0) held = dragged.length;
      dragged = [...dragged.slice(0, held), at, ...dragged.slice(held)];
      move(e);
    }
  }
  function move(e: PointerEvent) {
    if (held === null || !dragged) return;
    dragged = moved(dragged, held, placed(e));
    ontry(dragged);
  }
  function up() {
    if (dragged && held !== null && held >= 0) onkeep(dragged);
    dragged = held = null;
  }
  /** A point moved, between its neighbours. */
  function moved(all: Points, k: number, [x, y]: [number, number]): Points {
    const low = k ? all[k - 1][0] + APART : 0;
    const high = k < all.length - 1 ? all[k + 1][0] - APART : 1;
    return all.map((p, i) => (i === k ? [Math.min(Math.max(x, low), high), y] : p));
  }
  const without = (k: number) => {
    const left = kept.filter((_, i) => i !== k);
    onkeep(left.length < 2 ? [] : left);
  };
  function key(e: KeyboardEvent, k: number) {
    const steps: Record<string, [number, number]> = {
      ArrowLeft: [-0.01, 0],
      ArrowRight: [0.01, 0],
      ArrowUp: [0, 0.01],
      ArrowDown: [0, -0.01],
    };
    const by = steps[e.key];
    if (by)
      onkeep(moved(kept, k, [kept[k][0] + by[0], Math.min(Math.max(kept[k][1] + by[1], 0), 1)]));
    else if (e.key === 'Delete' || e.key === 'Backspace') without(k);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
</script>

<svg
  bind:this={svg}
  role="group"
  aria-label="Curve of {label}"
  viewBox="-5 -5 {SIDE + 10} {SIDE + 10}"
  class="mt-1 aspect-square w-full max-w-[220px] touch-none rounded border border-line bg-ground"
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={() => (dragged = held = null)}
>
  <path d="M0 {SIDE}L{SIDE} 0" stroke="var(--color-line)" />
  {#each [0.25, 0.5, 0.75] as at (at)}
    <path
      d="M{at * SIDE} 0V{SIDE}M0 {at * SIDE}H{SIDE}"
      stroke="var(--color-line)"
      stroke-width="0.6"
    />
  {/each}
  <path d={line} fill="none" stroke="var(--color-jade)" stroke-width="1.8" />
  {#each shown as [x, y], k (k)}
    <circle
      cx={x * SIDE}
      cy={(1 - y) * SIDE}
      r={held === k ? 5 : 3.6}
      fill="var(--color-lantern)"
      tabindex="0"
      role="slider"
      aria-label="Point {k + 1} of {label}"
      aria-valuenow={Math.round(100 * y)}
      aria-valuetext="{Math.round(100 * x)} becomes {Math.round(100 * y)}"
      ondblclick={() => without(k)}
      onkeydown={(e) => key(e, k)}
    />
  {/each}
</svg>
