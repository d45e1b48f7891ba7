<script lang="ts">
  /** All proxies, by group: found by name, hidden, locked, tagged, put in order, shown alone. */
  import Heading from '../../../lib/Heading.svelte';
  import { Input } from 'flowbite-svelte';
  import type { Proxy } from '../../../lib/api/client';
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { parts } from '../parts.svelte';
  import { alterAll } from '../selected';
  import { show } from '../show.svelte';
  import Press from '../../../lib/Press.svelte';

  const TAGS = ['copper', 'moss', 'slate', 'plum', 'straw'] as const;

  let sought = $state('');
  let folded = $state.raw<string[]>([]);
  let dragged: string | null = null;

  const proxies = $derived(project.scene!.proxies);
  const found = $derived.by(() => {
    const words = sought.trim().toLowerCase();
    return words
      ? proxies.filter((p) => `${p.name} ${p.kind} ${p.group ?? ''}`.toLowerCase().includes(words))
      : proxies;
  });
  /** Groups in the order of their first proxy; what has none stands by itself. */
  const groups = $derived.by(() => {
    const out: Record<string, Proxy[]> = {};
    for (const p of found) (out[p.group ?? ''] ??= []).push(p);
    return Object.entries(out);
  });

  function press(e: MouseEvent, p: Proxy) {
    parts.clear();
    if (e.shiftKey) {
      // from the last one taken to this one, as the list shows them
      const ids = groups.flatMap(([, own]) => own.map((q) => q.id));
      const from = ids.indexOf(selection.all('proxy').at(-1) ?? p.id);
      const to = ids.indexOf(p.id);
      selection.chooseAll('proxy', ids.slice(Math.min(from, to), Math.max(from, to) + 1));
    } else if (e.ctrlKey || e.metaKey) selection.add('proxy', p.id);
    else selection.toggle('proxy', p.id);
  }
  function fold(name: string) {
    folded = folded.includes(name) ? folded.filter((f) => f !== name) : [...folded, name];
  }
  type Tag = (typeof TAGS)[number];
  const nextTag = (tag: Tag | null | undefined) => {
    const at = tag ? TAGS.indexOf(tag) : -1;
    return TAGS[at + 1] ?? null;
  };
  function drop(e: DragEvent, before: string) {
    e.preventDefault();
    const id = dragged;
    dragged = null;
    if (!id || id === before) return;
    const moved = selection.has('proxy', id) ? selection.all('proxy') : [id];
    if (!moved.includes(before)) void project.keep({ verb: 'Reorder', proxies: moved, before });
  }
  function shift(p: Proxy, by: number) {
    const i = proxies.findIndex((q) => q.id === p.id);
    const before = proxies[by < 0 ? i - 1 : i + 2];
    if (by < 0 ? i > 0 : i < proxies.length - 1)
      void project.keep({ verb: 'Reorder', proxies: [p.id], before: before?.id ?? null });
  }
  const alone = (p: Proxy) => show.solo?.length === 1 && show.solo[0] === p.id;

  const SMALL =
    'flex-none px-[3px] text-[12px] text-quiet hover:text-ink aria-pressed:text-lantern';
  // what is done seldom is only there when the row is looked at
  const SELDOM =
    'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 aria-pressed:opacity-100';
</script>

<Heading>
  Proxies <small
    >{found.length === proxies.length ? '' : `${found.length} of `}{proxies.length}</small
  >
</Heading>
<div class="mb-1 flex gap-1">
  <Input
    class="min-w-0 flex-1"
    placeholder="Find by name, kind or group"
    aria-label="Find proxies"
    bind:value={sought}
    onkeydown={(e) => !e.altKey && e.stopPropagation()}
  />
  {#if sought}
    <Press
      tight
      onclick={() =>
        selection.chooseAll(
          'proxy',
          found.map((p) => p.id),
        )}>Take all</Press
    >
  {/if}
  {#if show.solo}
    <Press tight onclick={() => (show.solo = null)}>All again</Press>
  {/if}
</div>
<div class="max-h-[max(13rem,calc(100vh-520px))] overflow-y-auto" role="list" aria-label="Proxies">
  {#each groups as [name, own] (name)}
    {#if name}
      <div class="flex items-center gap-1 py-0.5">
        <Press
          kind="bare"
          class="flex-1 block truncate text-left font-semibold text-quiet hover:text-ink"
          aria-expanded={!folded.includes(name)}
          onclick={() => fold(name)}
          >{folded.includes(name) ? '▸' : '▾'} {name} · {own.length}</Press
        >
        <Press
          tight
          onclick={() =>
            selection.chooseAll(
              'proxy',
              own.map((p) => p.id),
            )}>take</Press
        >
        <Press
          tight
          onclick={() =>
            void alterAll(
              { hidden: !own[0].hidden },
              own.map((p) => p.id),
            )}>{own[0].hidden ? 'show' : 'hide'}</Press
        >
      </div>
    {/if}
    {#if !folded.includes(name)}
      {#each own as p (p.id)}
        {@const chosen = selection.has('proxy', p.id)}
        <div
          class="row group flex items-center gap-1"
          class:pl-3={!!name}
          role="listitem"
          draggable="true"
          ondragstart={(e) => {
            e.stopPropagation();
            dragged = p.id;
          }}
          ondragover={(e) => e.preventDefault()}
          ondrop={(e) => drop(e, p.id)}
        >
          <Press
            kind="bare"
            class="h-3 w-3 shrink-0 rounded-full border border-line"
            style={p.tag ? `background: var(--color-${p.tag})` : ''}
            aria-label="Tag of {p.name}: {p.tag ?? 'none'}"
            title="Tag: {p.tag ?? 'none'}"
            onclick={() => void alterAll({ tag: nextTag(p.tag as Tag) }, [p.id])}
          ></Press>
          <Press
            kind="bare"
            class={[
              'flex min-w-0 flex-1 justify-between gap-2 truncate rounded-md px-1 py-[3px] text-left hover:bg-hover',
              chosen && 'text-lantern',
            ]}
            aria-pressed={chosen}
            onclick={(e) => press(e, p)}
            onkeydown={(e) => {
              if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
                e.preventDefault();
                shift(p, e.key === 'ArrowUp' ? -1 : 1);
              }
            }}
          >
            <span class="truncate" class:opacity-50={p.hidden}>{p.name}</span><span
              class="text-[12px] text-quiet">{p.kind}</span
            >
          </Press>
          <Press
            kind="bare"
            class="{SMALL} {SELDOM}"
            aria-pressed={alone(p)}
            aria-label="Show {p.name} alone"
            onclick={() => (show.solo = alone(p) ? null : [p.id])}>alone</Press
          >
          <Press
            kind="bare"
            class="{SMALL} {SELDOM}"
            aria-pressed={p.locked}
            aria-label="{p.locked ? 'Unlock' : 'Lock'} {p.name}"
            onclick={() => void alterAll({ locked: !p.locked }, [p.id])}
            >{p.locked ? 'unlock' : 'lock'}</Press
          >
          <Press
            kind="bare"
            class={SMALL}
            aria-label="{p.hidden ? 'Show' : 'Hide'} {p.name}"
            onclick={() => void alterAll({ hidden: !p.hidden }, [p.id])}
            >{p.hidden ? 'show' : 'hide'}</Press
          >
        </div>
      {/each}
    {/if}
  {/each}
</div>

<style>
  .row {
    content-visibility: auto;
    contain-intrinsic-size: auto 26px;
  }
</style>
