<script lang="ts">
  /** The rendered frame, where there is one, and where the trick would show, over the shot. */
  import { maps } from '../../project/maps.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import type { Window2D } from '../../views/camera';
  import PreviewOverlay from './PreviewOverlay.svelte';
  import OverPlate from '../../views/marks/OverPlate.svelte';

  let { win }: { win: Window2D } = $props();
  const address = $derived.by(() => {
    const state = project.state;
    if (!state || !maps.on.length || playhead.playing || !project.shapes.size) return null;
    const query = `revision=${state.revision}&frame=${playhead.frame}&show=${maps.on.join(',')}`;
    return `/api/projects/${state.id}/diagnosis.png?${query}`;
  });
</script>

<PreviewOverlay {win} />
{#if address}
  <OverPlate {win} href={address} />
{/if}
