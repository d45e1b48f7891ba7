<script lang="ts">
  /** The look: exposure, contrast, curves and saturation, sharpening and grain. */
  import type { Change, Look } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { dressAt } from '../../project/times';
  import Curve from './Curve.svelte';
  import FileField from '../../lib/FileField.svelte';
  import Keyed from './Keyed.svelte';

  const look = $derived(project.scene!.look);
  const now = $derived(dressAt(project.dress, project.times, playhead.frame)?.look);
  const change =
    (to: Partial<Look>): (() => Change | null) =>
    () => {
      const old = project.scene?.look;
      return old ? ({ verb: 'SetLook', look: { ...old, ...to } } as Change) : null;
    };
  const set = (to: Partial<Look>) => void project.keep(change(to));
  const CHANNELS = [
    ['every', 'All'],
    ['red', 'Red'],
    ['green', 'Green'],
    ['blue', 'Blue'],
  ] as const;
  const OVER = [
    ['frame', 'Frame', 'The whole frame, with all that is in it'],
    ['thrown', 'Thrown', 'What lanterns throw, before light and haze; guests stay as they are'],
    ['only', 'Chosen', 'Only the lanterns and guests that are chosen'],
  ] as const;
  const layers = $derived([...project.scene!.lanterns, ...project.scene!.guests]);
  const toggle = (id: string) => {
    const only = look!.only ?? [];
    set({ only: only.includes(id) ? only.filter((other) => other !== id) : [...only, id] });
  };
  let chooser: HTMLInputElement | undefined = $state();
  let channel = $state<'every' | 'red' | 'green' | 'blue'>('every');
</script>

<Section title="Look" note={!look ? 'as it is' : look.on ? 'on' : 'out'} open={!!look}>
  {#if !look}
    <Press
      tight
      class="w-full"
      onclick={() => project.keep({ verb: 'SetLook', look: {} } as Change)}>Give it a look</Press
    >
  {:else}
    <div class="grid grid-cols-3 gap-1">
      <Press tight aria-pressed={look.on} onclick={() => set({ on: !look.on })}
        >{look.on ? 'On' : 'Out'}</Press
      >
      <Press
        tight
        aria-pressed={look.space !== 'linear'}
        title="Contrast, curves and saturation in the picture’s own numbers"
        onclick={() => set({ space: 'picture' })}>Picture</Press
      >
      <Press
        tight
        aria-pressed={look.space === 'linear'}
        title="Contrast, curves and saturation in linear light"
        onclick={() => set({ space: 'linear' })}>Linear</Press
      >
    </div>
    <div class="mt-1 grid grid-cols-3 gap-1" role="group" aria-label="What it is over">
      {#each OVER as [of, words, title] (of)}
        <Press
          tight
          {title}
          aria-pressed={(look.of ?? 'frame') === of}
          onclick={() => set({ of, only: of === 'only' ? (look.only ?? []) : [] })}>{words}</Press
        >
      {/each}
    </div>
    {#if look.of === 'only'}
      <div class="mt-1 flex flex-wrap gap-1" role="group" aria-label="Which have it">
        {#each layers as { id, name } (id)}
          <Press tight aria-pressed={look.only?.includes(id) ?? false} onclick={() => toggle(id)}
            >{name}</Press
          >
        {/each}
      </div>
    {/if}
    <Keyed
      part="look-0"
      of="exposure"
      label="Exposure"
      unit="stops"
      step={0.1}
      value={look.exposure ?? 0}
      now={now?.exposure}
      least={-4}
      most={4}
      set={(exposure) => change({ exposure })}
    />
    <Keyed
      part="look-0"
      of="contrast"
      label="Contrast"
      value={look.contrast ?? 1}
      now={now?.contrast}
      least={0}
      most={2}
      set={(contrast) => change({ contrast: Math.max(contrast, 0) })}
    />
    <Keyed
      part="look-0"
      of="saturation"
      label="Saturation"
      value={look.saturation ?? 1}
      now={now?.saturation}
      least={0}
      most={2}
      set={(saturation) => change({ saturation: Math.max(saturation, 0) })}
    />
    <div class="mt-2 grid grid-cols-4 gap-1" role="group" aria-label="Curve of">
      {#each CHANNELS as [name, words] (name)}
        <Press tight aria-pressed={channel === name} onclick={() => (channel = name)}
          >{words}{look[name]?.length ? ' ·' : ''}</Press
        >
      {/each}
    </div>
    {#key channel}
      <Curve
        label={CHANNELS.find(([name]) => name === channel)![1]}
        points={look[channel] ?? []}
        ontry={(points) => project.try(change({ [channel]: points }))}
        onkeep={(points) => set({ [channel]: points })}
      />
    {/key}
    <div class="mt-1 flex items-center gap-1.5">
      <span class="min-w-0 flex-1 truncate text-quiet" title={look.table_name}
        >{look.table ? (look.table_name ?? 'Table') : 'No table'}</span
      >
      <Press tight title="A 3D table of colours, as a .cube file" onclick={() => chooser?.click()}
        >Bring a table…</Press
      >
      {#if look.table}
        <Press tight onclick={() => set({ table: null, table_name: null })}>Without</Press>
      {/if}
    </div>
    <FileField
      label="Table file"
      accept=".cube"
      bind:element={chooser}
      take={(file) => void project.send('table', { file })}
    />
    {#if (look.of ?? 'frame') === 'frame'}
      <NumberField
        label="Sharpen"
        unit="%"
        places={0}
        step={5}
        min={0}
        value={100 * (look.sharpen ?? 0)}
        onkeep={(v) => set({ sharpen: v / 100 })}
      />
      <NumberField
        label="Grain"
        unit="%"
        places={0}
        step={5}
        min={0}
        value={100 * (look.grain ?? 0)}
        onkeep={(v) => set({ grain: Math.min(v / 100, 1) })}
      />
      <p class="text-[12px] text-quiet">
        Sharpening and grain are seen in the preview and in frames.
      </p>
    {/if}
    <Press
      tight
      class="mt-2 w-full"
      onclick={() => project.keep({ verb: 'SetLook', look: null } as Change)}>Let the look go</Press
    >
  {/if}
</Section>
