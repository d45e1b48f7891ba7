<script lang="ts">
  /** The picture from far off: its vanishing lines run on to where they meet, wherever that is. */
  import { project } from '../../project/project.svelte';
  import { colourOf, nameOf, patternOf } from '../../project/headings';

  const SIDE = [236, 196];
  const TOP = 50; // what is written there
  const FARTHEST = 4; // picture widths; what meets farther off is pointed at
  const plate = $derived(project.scene!.plate);
  const size = $derived(Math.max(plate.width, plate.height));
  const points = $derived(
    (project.reading?.headings ?? []).flatMap((h) => {
      if (!h.vanishing || !h.count) return [];
      const [x, y, w] = h.vanishing;
      const cx = plate.width / 2;
      const cy = plate.height / 2;
      let dx = x - cx * w;
      let dy = y - cy * w;
      if (w < 0) [dx, dy] = [-dx, -dy];
      const n = Math.hypot(dx, dy) || 1;
      const far = Math.abs(w) > 1e-12 ? n / Math.abs(w) : Infinity;
      const reach = Math.min(far, FARTHEST * size);
      const at = [cx + (dx / n) * reach, cy + (dy / n) * reach] as const;
      return [{ h: h.heading, at, far, out: far > FARTHEST * size }];
    }),
  );
  const box = $derived.by(() => {
    const near = points;
    const xs = [0, plate.width, ...near.map((p) => p.at[0])];
    const ys = [0, plate.height, ...near.map((p) => p.at[1])];
    const pad = size * 0.2;
    const [x0, x1] = [Math.min(...xs) - pad, Math.max(...xs) + pad];
    const [y0, y1] = [Math.min(...ys) - pad, Math.max(...ys) + pad];
    const zoom = Math.min(SIDE[0] / (x1 - x0), (SIDE[1] - TOP) / (y1 - y0));
    return {
      zoom,
      x: (x0 + x1) / 2 - SIDE[0] / 2 / zoom,
      y: (y0 + y1) / 2 - (SIDE[1] + TOP) / 2 / zoom,
    };
  });
  const v = (p: readonly number[]) => [(p[0] - box.x) * box.zoom, (p[1] - box.y) * box.zoom];
  const lines = $derived(
    (project.scene?.sighting?.traces ?? []).flatMap((t) => {
      const to = points.find((p) => p.h === t.heading);
      if (!to) return [];
      const [a, b] = [t.points[0], t.points[t.points.length - 1]];
      return [
        { id: t.id, h: t.heading, a: v([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]), b: v(to.at) },
      ];
    }),
  );
  const corner = $derived([v([0, 0]), v([plate.width, plate.height])]);
  const horizon = $derived.by(() => {
    const h = project.reading?.horizon;
    if (!h || Math.abs(h[1]) < 1e-6) return null;
    const y = (x: number) => -(h[0] * x + h[2]) / h[1];
    const [x0, x1] = [box.x, box.x + SIDE[0] / box.zoom];
    return [v([x0, y(x0)]), v([x1, y(x1)])];
  });
</script>

<div
  class="pointer-events-none absolute bottom-2 left-2 overflow-hidden rounded-md border border-line bg-ground/95"
  role="img"
  aria-label="Overview of the vanishing points"
>
  <svg width={SIDE[0]} height={SIDE[1]} class="block">
    {#if horizon}
      <line
        x1={horizon[0][0]}
        y1={horizon[0][1]}
        x2={horizon[1][0]}
        y2={horizon[1][1]}
        stroke="var(--color-ink)"
        stroke-dasharray="2 4"
        opacity="0.7"
      />
    {/if}
    {#each lines as l (l.id)}
      <line
        x1={l.a[0]}
        y1={l.a[1]}
        x2={l.b[0]}
        y2={l.b[1]}
        stroke={colourOf(l.h)}
        stroke-dasharray={patternOf(l.h)}
        opacity="0.7"
      />
    {/each}
    <rect
      x={corner[0][0]}
      y={corner[0][1]}
      width={corner[1][0] - corner[0][0]}
      height={corner[1][1] - corner[0][1]}
      fill="var(--color-surround)"
      fill-opacity="0.53"
      stroke="var(--color-ink)"
    />
    <rect width={SIDE[0]} height="49" fill="var(--color-shadow)" />
    {#each points as p, i (p.h)}
      {#if p.out}
        <path
          d="M{v(p.at)[0]} {v(p.at)[1]}m-4 -4h8v8h-8z"
          fill="none"
          stroke={colourOf(p.h)}
          stroke-dasharray="2 2"
        />
      {:else}
        <path
          d="M{v(p.at)[0] - 4} {v(p.at)[1]}h8M{v(p.at)[0]} {v(p.at)[1] - 4}v8"
          stroke={colourOf(p.h)}
          stroke-width="2"
        />
      {/if}
      <text x="7" y={15 + 14 * i} font-size="12" fill={colourOf(p.h)}
        >{nameOf(p.h)}
        {p.far === Infinity || p.far / size > 99
          ? 'runs parallel'
          : `${(p.far / size).toFixed(1)} pictures off`}</text
      >
    {/each}
  </svg>
</div>
