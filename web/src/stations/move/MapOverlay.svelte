<script lang="ts">
  /** Where the trick would show at this frame, over the shot. */
  import { maps } from '../../lib/maps.svelte';
  import { playhead } from '../../lib/playhead.svelte';
  import { project } from '../../lib/project.svelte';
  import { toView, type Window2D } from '../../views/camera';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);
  const [x, y] = $derived(toView(win, [0, 0]));
  const address = $derived.by(() => {
    const state = project.state;
    if (!state || !maps.on.length || playhead.playing || !project.shapes.size) return null;
    const query = `revision=${state.revision}&frame=${playhead.frame}&show=${maps.on.join(',')}`;
    return `/api/projects/${state.id}/diagnosis.png?${query}`;
  });
</script>

{#if address}
  <image
    href={address}
    {x}
    {y}
    width={plate.width * win.zoom}
    height={plate.height * win.zoom}
    preserveAspectRatio="none"
    style="image-rendering: pixelated"
  />
{/if}
