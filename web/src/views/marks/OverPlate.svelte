<script lang="ts">
  /** A picture laid over the whole plate, pixel by pixel of its own. */
  import { project } from '../../project/project.svelte';
  import { toView, type Window2D } from '../camera';

  let { win, href }: { win: Window2D; href: string } = $props();
  const plate = $derived(project.scene!.plate);
  const [x, y] = $derived(toView(win, [0, 0]));
</script>

<image
  {href}
  {x}
  {y}
  width={plate.width * win.zoom}
  height={plate.height * win.zoom}
  preserveAspectRatio="none"
  style="image-rendering: pixelated"
/>
