<script lang="ts">
  /** Sighting by eye: the horizon to lift, its ends to tilt, the ground to turn, the frame to open. */
  import { project } from '../../project/project.svelte';
  import { toView, type Point, type Window2D } from '../../views/camera';
  import Grip from '../../views/marks/Grip.svelte';
  import Stroke from '../../views/marks/Stroke.svelte';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);
  const h = $derived(project.reading?.horizon ?? null);
  const y = (x: number) => (h && Math.abs(h[1]) > 1e-6 ? -(h[0] * x + h[2]) / h[1] : null);
  const at = (x: number): Point | null => {
    const v = y(x);
    return v === null ? null : toView(win, [x, v]);
  };
  const grips = $derived(
    h
      ? ([
          ['eye||tilt', at(plate.width * 0.08), 'Left end of the horizon'],
          ['eye||horizon', at(plate.width * 0.5), 'Horizon'],
          ['eye||tilt', at(plate.width * 0.92), 'Right end of the horizon'],
        ] as const)
      : [],
  );
  const line = $derived([at(0), at(plate.width)]);
  const frame = $derived.by(() => {
    const [x0, y0] = toView(win, [plate.width * 0.12, plate.height * 0.12]);
    const [x1, y1] = toView(win, [plate.width * 0.88, plate.height * 0.88]);
    return { x0, y0, x1, y1 };
  });
  const ground = $derived.by(() => {
    const [left, top] = toView(win, [
      0,
      Math.min(Math.max(y(plate.width / 2) ?? 0, 0), plate.height),
    ]);
    const [right, bottom] = toView(win, [plate.width, plate.height]);
    return { left, top: top + 14, right, bottom };
  });
  const corners = $derived([
    [frame.x0, frame.y0, 1, 1],
    [frame.x1, frame.y0, -1, 1],
    [frame.x1, frame.y1, -1, -1],
    [frame.x0, frame.y1, 1, -1],
  ] as const);
</script>

{#if ground.bottom > ground.top}
  <rect
    x={ground.left}
    y={ground.top}
    width={Math.max(ground.right - ground.left, 0)}
    height={ground.bottom - ground.top}
    fill="transparent"
    data-grip="eye||ground"
    role="button"
    tabindex="-1"
    aria-label="Ground"
    style="cursor: ew-resize"
  />
{/if}
{#if line[0] && line[1]}
  <Stroke points={[line[0], line[1]]} colour="var(--color-lantern)" under={4} underOpacity={0.5} />
{/if}
{#each grips as [grip, p, label] (label)}
  {#if p}
    <path
      d={grip === 'eye||horizon'
        ? `M${p[0] - 9} ${p[1] - 5}l9 -8l9 8M${p[0] - 9} ${p[1] + 5}l9 8l9 -8`
        : `M${p[0] - 7} ${p[1] - 7}q14 7 0 14`}
      fill="none"
      stroke="var(--color-lantern)"
      stroke-width="2"
    />
    <Grip at={p} r={15} {grip} {label} cursor="ns-resize" />
  {/if}
{/each}
{#each corners as [x, y, sx, sy], i (i)}
  <path
    d="M{x + 16 * sx} {y}H{x}V{y + 16 * sy}"
    fill="none"
    stroke="var(--color-lantern)"
    stroke-width="2"
    opacity="0.9"
  />
  <Grip
    at={[x, y]}
    r={15}
    grip="eye||focal"
    label="Focal length, corner {i + 1}"
    cursor="nwse-resize"
  />
{/each}
