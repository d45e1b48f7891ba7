<script lang="ts">
  /** The rendered frame over what the view draws, in the frame that is delivered. */
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { toView, type Window2D } from '../../views/camera';
  import { cropOf } from './crop';
  import { preview } from './preview.svelte';

  let { win }: { win: Window2D } = $props();
  // what a hand tries is not rendered yet, so the view itself shows it
  const shown = $derived(preview.on && !project.tried);
  const picture = $derived(shown ? (preview.made.get(playhead.frame) ?? null) : null);
  const box = $derived.by(() => {
    const { plate, move } = project.scene!;
    const [x, y, wide, high] = cropOf(plate.width, plate.height, move.frame ?? null);
    const over = move.frame?.overscan ?? 0;
    const [left, top] = toView(win, [x - over * wide, y - over * high]);
    const size = (1 + 2 * over) * win.zoom;
    return { x: left, y: top, width: wide * size, height: high * size };
  });

  const drawn = (canvas: HTMLCanvasElement) => {
    const at = picture!;
    [canvas.width, canvas.height] = [at.width, at.height];
    canvas.getContext('2d')?.drawImage(at, 0, 0);
  };
</script>

{#if picture}
  <foreignObject {...box}>
    <canvas class="block h-full w-full" aria-label="Rendered frame" {@attach drawn}></canvas>
  </foreignObject>
{/if}
