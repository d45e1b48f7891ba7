<script lang="ts">
  /** The still and the first, worst and last frame of the shot side by side, as they are rendered. */
  import { Modal } from 'flowbite-svelte';
  import Press from '../../lib/Press.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { plateAddress } from '../../lib/api/client';
  import { project } from '../../project/project.svelte';
  import { wholeMove } from '../../project/strip.svelte';
  import { levelWithin, Tiles } from '../../views/tiles';
  import { frameAddress } from './preview.svelte';
  import { sideBySide } from './sidebyside.svelte';

  const WIDE = 900; // px
  const last = $derived((project.move?.frames ?? 1) - 1);
  const shows = $derived(
    [
      { name: 'First', frame: 0 },
      wholeMove.now ? { name: 'Worst', frame: Math.min(wholeMove.now.worst, last) } : null,
      { name: 'Last', frame: last },
    ].filter((one) => one !== null),
  );
  const now = $derived(project.state!);
  // the still at a size that is one tile
  let still = $state<string | null>(null);
  $effect(() => {
    if (!sideBySide.open) return;
    const tiles = new Tiles(now.id, project.scene!.plate.digest, () => undefined);
    void tiles.begin().then((levels) => {
      const level = levelWithin(levels, levels.tile);
      still = `${plateAddress(tiles.project, tiles.digest)}/${level}/0/0`;
    });
    return () => tiles.dispose();
  });
  /** Tall frames stand in one row. */
  const tall = $derived.by(() => {
    const { plate, move } = project.scene!;
    const { width, height } = move.frame ?? plate;
    return height > width;
  });
  const high = $derived(tall ? 'h-[540px]' : 'h-[300px]');
  const picture = $derived(`${high} w-full bg-ground object-contain`);
  let failed = $state.raw<string[]>([]);
  function goTo(frame: number) {
    playhead.playing = false;
    playhead.at = frame;
    sideBySide.open = false;
  }
</script>

<Modal aria-label="Side by side" bind:open={sideBySide.open} size="xl">
  {#snippet header()}<h2 class="text-[16px] font-semibold">
      First, worst and last frame, beside the still
    </h2>{/snippet}
  <div class={['grid gap-3', tall ? 'grid-cols-4' : 'grid-cols-2']}>
    <figure>
      <img class={picture} src={still} alt="The still" />
      <figcaption class="mt-1 text-[12px] text-quiet">The still, as it came</figcaption>
    </figure>
    {#each shows as { name, frame } (name)}
      {@const src = frameAddress(now.id, now.revision, frame, WIDE)}
      <figure>
        {#if failed.includes(src)}
          <p class={['grid place-content-center bg-ground text-quiet', high]}>
            This frame could not be rendered.
          </p>
        {:else}
          <img
            class={picture}
            {src}
            alt="{name} frame"
            onerror={() => (failed = [...failed, src])}
          />
        {/if}
        <figcaption class="mt-1 flex items-center justify-between text-[12px] text-quiet">
          <span>{name}: frame <span class="num">{playhead.numbered(frame)}</span></span>
          <Press tight onclick={() => goTo(frame)}>Go there</Press>
        </figcaption>
      </figure>
    {/each}
  </div>
</Modal>
