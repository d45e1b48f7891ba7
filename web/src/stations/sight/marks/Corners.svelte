<script lang="ts">
  /** Corners where two traces meet, and which two they are. */
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { toView, type Point, type Window2D } from '../../../views/camera';
  import Stroke from '../../../views/marks/Stroke.svelte';

  let { win }: { win: Window2D } = $props();
  const sighting = $derived(project.scene!.sighting);

  function tracesOf(corner: string): Point[] {
    const mark = sighting.corners?.find((c) => c.id === corner);
    return (mark?.traces ?? []).flatMap((id) => {
      const p = sighting.traces?.find((t) => t.id === id)?.points[0];
      return p ? [[p[0], p[1]] as Point] : [];
    });
  }
</script>

{#each project.reading?.corners ?? [] as c (c.id)}
  {#if c.at}
    {@const p = toView(win, c.at)}
    {#each tracesOf(c.id) as from, i (i)}
      <Stroke
        points={[toView(win, from), p]}
        colour="var(--color-ink)"
        width={1}
        dash="3 5"
        opacity={0.7}
        under={0}
      />
    {/each}
    <path
      d="M{p[0]} {p[1] - 8}l8 8l-8 8l-8 -8z"
      fill={selection.has('corner', c.id) ? 'var(--color-marked)' : 'var(--color-shadow)'}
      stroke={selection.has('corner', c.id) ? 'var(--color-lantern)' : 'var(--color-ink)'}
      stroke-width="1.6"
      data-grip="corner|{c.id}"
      role="button"
      tabindex="-1"
      aria-label="Corner where two traces meet"
      style="cursor: pointer"
    />
  {/if}
{/each}
