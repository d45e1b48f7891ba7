<script lang="ts">
  /** How far the camera may go from here, each way. */
  import Section from '../../../lib/Section.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { length } from '../../../lib/units.svelte';
  import { limits, WAYS } from '../limits.svelte';

  let wanted = $state(false);
  $effect(() => {
    void [project.state?.revision, playhead.frame, limits.most, limits.stretch];
    if (wanted && !playhead.playing) limits.askWays();
  });
  const lens = (way: string) => way === 'longer' || way === 'shorter';
  const focal = $derived(project.reading?.focal_35mm?.value ?? 0);
</script>

<Section title="How far it may go" note="from frame {playhead.numbered()}">
  <div
    {@attach () => {
      wanted = true;
      return () => void (wanted = false);
    }}
  >
    <dl class="grid grid-cols-2 gap-x-5">
      {#each WAYS as [way, label] (way)}
        {@const found = limits.ways[way]}
        <div class="flex items-baseline gap-2 py-0.5">
          <dt class="text-quiet">{label}</dt>
          <dd class="num ml-auto">
            {#if !found}…
            {:else if lens(way)}{found.breaks ? '' : 'past '}{(focal * found.most).toFixed(1)} mm
            {:else}{found.breaks ? '' : 'past '}{length(found.most)}
            {/if}
          </dd>
          <dd class="w-14 text-[12px] text-quiet">{found?.breaks ?? ''}</dd>
        </div>
      {/each}
    </dl>
    <div class="mt-1.5">
      <NumberField
        label="Of a frame may be leak or reveal"
        unit="%"
        value={limits.most * 100}
        min={0.01}
        step={0.05}
        onkeep={(v) => (limits.most = Math.min(Math.max(v / 100, 0.0001), 1))}
      />
      <NumberField
        label="Plate pixels pulled by"
        unit="×"
        places={1}
        value={limits.stretch}
        min={1.1}
        step={0.5}
        onkeep={(v) => (limits.stretch = Math.min(Math.max(v, 1.05), 100))}
      />
    </div>
  </div>
</Section>
