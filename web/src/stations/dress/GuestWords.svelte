<script lang="ts">
  /** What words say, and how their letters look. */
  import { Textarea } from 'flowbite-svelte';
  import type { Guest } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import { AREA } from '../../lib/theme';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import Colour from './Colour.svelte';
  import FileField from '../../lib/FileField.svelte';
  import { altered } from './guests.svelte';

  type Written = Extract<Guest, { kind?: 'words' }>;
  let { guest }: { guest: Written } = $props();

  const change = (to: Record<string, unknown>) => altered(guest, to);
  const set = (to: Record<string, unknown>) => void project.keep(change(to));
  let chooser: HTMLInputElement | undefined = $state();
  const share = (v: number, most: number) => Math.min(Math.max(v, 0), most) / 100;
  function bring(file: File | undefined) {
    if (file) void project.send('font', { file, guest: guest.id });
  }
</script>

<Textarea
  class={`mt-1.5 w-full ${AREA}`}
  rows={2}
  maxlength={200}
  aria-label="What they say"
  data-undoes
  value={guest.text}
  oninput={(e) => {
    const text = (e.currentTarget as HTMLTextAreaElement).value;
    if (text.trim()) project.try(change({ text }));
  }}
  onkeydown={(e) => {
    if (!e.altKey) e.stopPropagation();
    if (e.key === 'Escape') (e.currentTarget as HTMLTextAreaElement).blur();
  }}
  onblur={(e) => {
    const field = e.currentTarget as HTMLTextAreaElement;
    if (field.value.trim() && field.value !== guest.text) set({ text: field.value });
    else project.drop();
    field.value = guest.text;
  }}
/>
<div class="mt-1 grid grid-cols-3 gap-1" role="group" aria-label="Their letters">
  {#each [['grotesk', 'Plain'], ['serif', 'Serif']] as const as [face, words] (face)}
    <Press
      tight
      aria-pressed={!guest.font && (guest.face ?? 'grotesk') === face}
      onclick={() => set({ face, font: null })}>{words}</Press
    >
  {/each}
  <Press
    tight
    aria-pressed={!!guest.font}
    title="Letters of a font file: TTF, OTF or WOFF"
    onclick={() => chooser?.click()}>Bring…</Press
  >
</div>
<FileField
  label="Font file"
  accept=".ttf,.otf,.woff,.woff2,.ttc"
  bind:element={chooser}
  take={bring}
/>
<Colour
  label="Colour"
  value={guest.colour ?? [1, 1, 1]}
  ontry={(colour) => project.try(change({ colour }))}
  onkeep={(colour) => set({ colour })}
/>
<NumberField
  label="Weight"
  places={0}
  step={50}
  min={100}
  value={guest.weight ?? 600}
  onkeep={(v) => set({ weight: Math.min(Math.max(v, 100), 900) })}
/>
<NumberField
  label="Deep"
  length
  min={0}
  step={0.02}
  value={guest.thick_m ?? 0}
  ontry={(thick_m) => project.try(change({ thick_m }))}
  onkeep={(thick_m) => set({ thick_m })}
/>
<NumberField
  label="Apart"
  unit="%"
  places={0}
  step={5}
  value={100 * (guest.apart ?? 0)}
  onkeep={(v) => set({ apart: v / 100 })}
/>
<NumberField
  label="Soft edges"
  unit="%"
  places={0}
  step={5}
  min={0}
  disabled={(guest.thick_m ?? 0) > 0}
  value={100 * (guest.soft ?? 0)}
  onkeep={(v) => set({ soft: share(v, 50) })}
/>
<NumberField
  label="Glow"
  unit="%"
  places={0}
  step={10}
  min={0}
  value={100 * (guest.glow ?? 0)}
  onkeep={(v) => set({ glow: share(v, 100) })}
/>
<NumberField
  label="Each letter later by"
  unit="fr"
  places={1}
  step={1}
  value={guest.later ?? 0}
  onkeep={(later) => set({ later })}
/>
