<script lang="ts">
  /** Where the test box can be taken hold of: all that it covers. */
  import { project } from '../../project/project.svelte';
  import { project as seen, toView, type Point, type Window2D } from '../../views/camera';
  import { checks } from './checks.svelte';

  let { win }: { win: Window2D } = $props();
  const BASE = [
    [-0.5, -0.5],
    [0.5, -0.5],
    [0.5, 0.5],
    [-0.5, 0.5],
  ];
  const hull = $derived.by(() => {
    const camera = project.reading?.camera;
    if (!checks.box || !camera) return null;
    const { at, size } = checks.box;
    const corners = BASE.flatMap(([a, b]) =>
      [0, size[1]].map((up) =>
        seen(camera, [at[0] + a * size[0], at[1] + up, at[2] + b * size[2]]),
      ),
    );
    if (corners.some((p) => !p)) return null;
    const [xs, ys] = [0, 1].map((i) => corners.map((p) => toView(win, p as Point)[i]));
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  });
</script>

{#if hull}
  <rect
    x={hull[0]}
    y={hull[1]}
    width={hull[2] - hull[0]}
    height={hull[3] - hull[1]}
    fill="transparent"
    data-grip="box"
    role="button"
    tabindex="-1"
    aria-label="Test box"
    style="cursor: move"
  />
{/if}
