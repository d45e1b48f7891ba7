<script lang="ts">
  /** The palette: every verb of every station by its words and its key; the last ones first. */
  import { CommandPalette } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { windows } from '../project/windows.svelte';
  import type { Station } from '../views/station';
  import { listed } from './verbs';

  let { stations, here }: { stations: Station[]; here: Station } = $props();

  const PLACE = 'jade-lantern.palette';
  const MOST = 8;
  let recent = $state<string[]>(read());

  function read(): string[] {
    try {
      const kept = JSON.parse(localStorage.getItem(PLACE) ?? '[]') as unknown;
      return Array.isArray(kept) ? kept.filter((id) => typeof id === 'string').slice(0, MOST) : [];
    } catch {
      return []; // what cannot be read is nothing that was run
    }
  }
  function ran(id: string) {
    recent = [id, ...recent.filter((other) => other !== id)].slice(0, MOST);
    localStorage.setItem(PLACE, JSON.stringify(recent));
  }
  // opened again while it is still going away, it would not ask for the keys by itself
  $effect(() => {
    if (windows.palette)
      void tick().then(() => document.querySelector<HTMLElement>('[role=combobox]')?.focus());
  });
  const items = $derived(
    windows.palette
      ? listed(stations, here, recent).map(({ id, words, key, where, run }) => ({
          id: id.replace(/[^\w]+/g, '-'),
          label: words,
          description: key ? `${where} · ${key}` : where,
          keywords: [where, key],
          onselect: () => {
            ran(id);
            // after the palette has closed, so that the focus is where it was
            setTimeout(run);
          },
        }))
      : [],
  );
</script>

<CommandPalette
  bind:open={windows.palette}
  {items}
  aria-label="Everything that can be done"
  placeholder="What do you want to do?"
  emptyMessage="Nothing is called so."
  shortcutKey=""
/>
