<script lang="ts">
  /** Other frames of the footage, each by the camera that took it: does what is checked with stay where
   *  it stands? */
  import { Range } from 'flowbite-svelte';
  import Press from '../../../lib/Press.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { checks } from '../checks.svelte';

  const passed = $derived(project.scene!.passed!);
  const last = $derived(passed.frames.length - 1);
  const still = $derived(passed.reference ?? 0);
  const frame = $derived(Math.min(checks.frame ?? still, last));
  let plays = $state(false);
  const look = (at: number) => (checks.frame = at === still ? null : at);

  $effect(() => {
    if (!plays) return;
    const every = 1000 / project.move!.fps!;
    const timer = setInterval(() => look(frame < last ? frame + 1 : 0), every);
    return () => clearInterval(timer);
  });
  // the rest of the station is about the still
  $effect(() => () => (checks.frame = null));
</script>

<div class="mb-1.5 grid grid-cols-[auto_1fr_4.5rem] items-center gap-2">
  <Press
    aria-label={plays ? 'Stop the footage' : 'Play the footage'}
    onclick={() => (plays = !plays)}>{plays ? '■' : '▶'}</Press
  >
  <Range
    aria-label="Frame of the footage"
    min={0}
    max={last}
    bind:value={() => frame, (at) => ((plays = false), look(at))}
  />
  <span class="num text-right text-quiet">{playhead.numbered(frame)}</span>
</div>
{#if checks.frame !== null}
  <Press class="mb-1.5 w-full" onclick={() => ((plays = false), look(still))}
    >Back to the still, frame {playhead.numbered(still)}</Press
  >
{/if}
