<script lang="ts">
  /** The plate against the cast at the lens: by wipe, flicker and difference, and as a number. */
  import { Range } from 'flowbite-svelte';
  import { api } from '../../lib/api/client';
  import { project } from '../../project/project.svelte';
  import Section from '../../lib/Section.svelte';
  import { show } from './show.svelte';
  import Press from '../../lib/Press.svelte';

  const WAYS = [
    ['off', 'Off'],
    ['wipe', 'Wipe'],
    ['flicker', 'Flicker'],
    ['difference', 'Difference'],
  ] as const;
  let told = $state<{ of: number; words: string } | null>(null);

  async function measure() {
    const state = project.state;
    if (!state) return;
    const { data, error } = await api
      .GET('/api/projects/{id}/identity', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
      })
      .catch(() => ({ data: undefined, error: { message: 'The server cannot be reached.' } }));
    const words = data
      ? `${(100 * data.covered).toFixed(1)} % of the plate is covered; the farthest off by ${data.most} of 255.`
      : (error?.message ?? 'That did not work.');
    told = { of: state.revision, words };
  }
</script>

<Section title="Compare at the lens" open={show.compare !== 'off'}>
  <div class="grid grid-cols-4 gap-1" role="group" aria-label="Compare">
    {#each WAYS as [name, label] (name)}
      <Press tight aria-pressed={show.compare === name} onclick={() => (show.compare = name)}
        >{label}</Press
      >
    {/each}
  </div>
  {#if show.compare === 'wipe'}
    <label class="mt-1 flex items-center gap-2"
      ><span class="text-quiet">cast</span>
      <Range
        class="min-w-0 flex-1"
        min="0"
        max="1"
        step="0.005"
        aria-label="How far the wipe has come"
        bind:value={show.wipe}
      /><span class="text-quiet">plate</span></label
    >
  {:else if show.compare === 'difference'}
    <p class="mt-1 text-[12px] text-quiet">
      Eight times as strong as it is; black is no difference.
    </p>
  {/if}
  <Press tight class="mt-1 w-full" onclick={() => void measure()}>Measure it at full size</Press>
  {#if told}
    <p class="mt-1 text-[12px]" role="status">
      {told.words}{told.of === project.state?.revision ? '' : ' (before the last change)'}
    </p>
  {/if}
</Section>
