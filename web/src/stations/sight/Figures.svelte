<script lang="ts">
  /** Standing figures of a chosen height, on the ground and on the chosen level. */
  import { checks } from './checks.svelte';
  import { project } from '../../project/project.svelte';
  import { length } from '../../lib/units.svelte';
  import { project as seen, toView, type Window2D } from '../../views/camera';

  let { win }: { win: Window2D } = $props();
  const camera = $derived(project.reading?.settled ? project.reading.camera : null);
  const figures = $derived.by(() => {
    if (!camera) return [];
    const ahead = camera.rotation[2].map((v) => -v);
    const flat = Math.hypot(ahead[0], ahead[2]) || 1;
    const [fx, fz] = [ahead[0] / flat, ahead[2] / flat];
    const far = Math.max(camera.position[1], 0.3);
    const [x0, z0] = checks.boxAt ?? [
      camera.position[0] + fx * far * 4,
      camera.position[2] + fz * far * 4,
    ];
    const level = checks.check.plane === 'ground' ? checks.check.level : 0;
    return [0, 1, 2, 3].flatMap((i) => {
      const side = [0, -1.1, 1.3, -2.4][i];
      const x = x0 + fx * i * 2 - fz * side;
      const z = z0 + fz * i * 2 + fx * side;
      const foot = seen(camera, [x, level, z]);
      const head = seen(camera, [x, level + checks.check.figure, z]);
      if (!foot || !head) return [];
      const [a, b] = [toView(win, foot), toView(win, head)];
      const tall = Math.hypot(b[0] - a[0], b[1] - a[1]);
      const turn = (Math.atan2(b[0] - a[0], a[1] - b[1]) * 180) / Math.PI;
      return [{ i, a, tall, turn }];
    });
  });
  // one unit tall, its foot at 0: head, body and legs as one outline
  const SHAPE =
    'M0 -1a.065 .075 0 1 1 -.001 0zM-.04 -.85h.08q.1 0 .115 .1l.03 .3h-.055l-.03 -.24v.22l-.015 .47h-.065l-.02 -.42l-.02 .42h-.065l-.015 -.47v-.22l-.03 .24h-.055l.03 -.3q.015 -.1 .115 -.1z';
</script>

{#each figures as f (f.i)}
  <g
    transform="translate({f.a[0]} {f.a[1]}) rotate({f.turn}) scale({f.tall})"
    pointer-events="none"
  >
    <path
      d={SHAPE}
      fill="var(--color-lantern)"
      fill-opacity="0.22"
      stroke="var(--color-lantern)"
      stroke-width="1.4"
      vector-effect="non-scaling-stroke"
    />
  </g>
  {#if f.i === 0}
    <text x={f.a[0] + 8} y={f.a[1] + 14} font-size="12" fill="var(--color-lantern)" class="num"
      >{length(checks.check.figure)}</text
    >
  {/if}
{/each}
