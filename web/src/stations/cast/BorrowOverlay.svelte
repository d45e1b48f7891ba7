<script lang="ts">
  /** What is drawn round: what is to be hidden and where its patch is taken from, or what frames of
   *  the footage are asked for. */
  import { toView, type Window2D } from '../../views/camera';
  import Stroke from '../../views/marks/Stroke.svelte';
  import { borrowing } from './borrow.svelte';
  import { ringed } from './ringed.svelte';

  let { win }: { win: Window2D } = $props();
  const ring = (points: readonly [number, number][], closed: boolean) => {
    const seen = points.map((p) => toView(win, p));
    return closed && seen.length ? [...seen, seen[0]] : seen;
  };
  const drawn = $derived(ring(borrowing.outline, borrowing.closed));
  const asked = $derived(ring(ringed.outline, ringed.closed));
  const moved = $derived(ring(borrowing.moved, true));
</script>

{#if drawn.length > 1}
  <Stroke points={drawn} colour="var(--color-lantern)" dash="5 3" />
{/if}
{#if asked.length > 1}
  <Stroke points={asked} colour="var(--color-jade)" dash="5 3" />
{/if}
{#if moved.length > 1}
  <Stroke points={moved} colour="var(--color-jade)" />
  <Stroke points={[drawn[0], moved[0]]} colour="var(--color-jade)" width={1} dash="2 3" />
{/if}
