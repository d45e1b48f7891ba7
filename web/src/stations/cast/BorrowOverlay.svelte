<script lang="ts">
  /** What is borrowed: round what is to be hidden, and where the patch is taken from. */
  import { toView, type Window2D } from '../../views/camera';
  import Stroke from '../../views/marks/Stroke.svelte';
  import { borrowing } from './borrow.svelte';

  let { win }: { win: Window2D } = $props();
  const ring = (points: readonly [number, number][], closed: boolean) => {
    const seen = points.map((p) => toView(win, p));
    return closed && seen.length ? [...seen, seen[0]] : seen;
  };
  const drawn = $derived(ring(borrowing.outline, borrowing.closed));
  const moved = $derived(ring(borrowing.moved, true));
</script>

{#if drawn.length > 1}
  <Stroke points={drawn} colour="var(--color-lantern)" dash="5 3" />
{/if}
{#if moved.length > 1}
  <Stroke points={moved} colour="var(--color-jade)" />
  <Stroke points={[drawn[0], moved[0]]} colour="var(--color-jade)" width={1} dash="2 3" />
{/if}
