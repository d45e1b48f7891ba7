<script lang="ts">
  /** Lengths, angles and areas that stay in the picture. */
  import type { Label } from '../../../lib/api/client';
  import { project as open } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { beside, project, toView, type Window2D } from '../../../views/camera';
  import { reads } from '../labels';

  let { win }: { win: Window2D } = $props();
  const camera = $derived(open.reading?.camera);

  function places(label: Label) {
    return label.points.flatMap((p) => {
      const at = camera && project(camera, p);
      return at ? [toView(win, at)] : [];
    });
  }
</script>

{#each open.scene?.labels ?? [] as label (label.id)}
  {@const at = places(label)}
  {#if at.length === label.points.length}
    {@const path = at.map((p, i) => `${i ? 'L' : 'M'}${p.join(' ')}`).join('')}
    {@const d = label.what === 'area' ? `${path}Z` : path}
    {@const middle = [0, 1].map((k) => at.reduce((s, p) => s + p[k], 0) / at.length)}
    {@const words = reads(label.what, open.labels.get(label.id) ?? 0)}
    {@const chosen = selection.has('label', label.id)}
    <path {d} fill="none" stroke="var(--color-ground)" stroke-width="4" opacity="0.75" />
    <path
      {d}
      fill="none"
      stroke={chosen ? 'var(--color-lantern)' : 'var(--color-ink)'}
      stroke-width="1.4"
    />
    <text
      {...beside(win, middle as [number, number], 8 * words.length)}
      class="num"
      font-size="13"
      fill={chosen ? 'var(--color-lantern)' : 'var(--color-ink)'}
      stroke="var(--color-ground)"
      stroke-width="3.5"
      paint-order="stroke">{words}</text
    >
  {/if}
{/each}
