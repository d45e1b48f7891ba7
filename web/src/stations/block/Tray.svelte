<script lang="ts">
  import NumberField from '../../lib/NumberField.svelte';
  import { project } from '../../lib/project.svelte';
  import { route } from '../../lib/route.svelte';
  import { selection } from '../../lib/selection.svelte';
  import { tool } from '../../lib/tool.svelte';
  import { blockHand } from './hand.svelte';
  import { KINDS, STOOD } from './kinds';
  import { duplicate, remove } from './selected';

  const proxies = $derived(project.scene!.proxies);
  const chosen = $derived(proxies.find((p) => selection.has('proxy', p.id)));
  const settled = $derived(project.reading?.settled ?? false);
  const fields = $derived(chosen ? (KINDS.get(chosen.kind!)?.fields ?? []) : []);
  const value = (k: string) => (chosen as unknown as Record<string, number>)[k];
  const altered = (k: string, v: number) => ({
    verb: 'AlterProxy' as const,
    proxy: chosen!.id,
    to: { [k]: v },
  });
  const asks = $derived.by(() => {
    const kind = blockHand.kind;
    return kind ? (kind.feet[blockHand.picks.length] ?? kind.top) : null;
  });
</script>

{#if !settled}
  <div class="advice">
    <b>Not yet.</b> Proxies stand where the picture says, and that needs a camera with zero and
    size.
    {project.reading?.next_step}
  </div>
  <button class="act main mt-3 w-full" onclick={() => route.go(route.project, 'sight')}
    >Back to Sight</button
  >
{:else}
  <div class="grid grid-cols-4 gap-2" role="group" aria-label="Stand a proxy">
    {#each STOOD as { kind, label } (kind)}
      <button
        class="act"
        aria-pressed={tool.name === kind}
        onclick={() => {
          blockHand.cancel();
          tool.choose(kind);
        }}>{label}</button
      >
    {/each}
  </div>
  <div class="mt-2 grid grid-cols-2 gap-2">
    <button class="act" onclick={() => project.keep({ verb: 'LayGround' })}>Lay the ground</button>
    <button class="act" onclick={() => project.keep({ verb: 'Hang', margin: 0.25 })}
      >Hang a backdrop</button
    >
  </div>

  <div class="advice mt-3">
    {#if asks}
      {asks} <span class="text-quiet"><kbd>Esc</kbd> lets go.</span>
    {:else if !proxies.length}
      <b>Start with the ground</b> and a backdrop; then stand a card or a box on everything that comes
      near the camera.
    {:else if chosen}
      Drag it over its floor, or take a handle. <kbd>Del</kbd> removes it.
    {:else}
      Select a proxy in either view, or stand another. Its foot on the ground sets its distance.
    {/if}
  </div>

  <h2 class="section">Proxies <small>{proxies.length}</small></h2>
  <ul class="max-h-52 overflow-y-auto" aria-label="Proxies">
    {#each proxies as p (p.id)}
      <li class="flex items-center gap-1">
        <button
          class="flex flex-1 justify-between gap-2 truncate rounded-md px-1.5 py-[3px] text-left hover:bg-hover"
          class:text-lantern={chosen === p}
          aria-pressed={chosen === p}
          onclick={() => selection.toggle('proxy', p.id)}
        >
          <span class="truncate" class:opacity-50={p.hidden}>{p.name}</span><span
            class="text-[12px] text-quiet">{p.kind}</span
          >
        </button>
        <button
          class="w-11 text-right text-[12px] text-quiet hover:text-ink"
          aria-label="{p.hidden ? 'Show' : 'Hide'} {p.name}"
          onclick={() =>
            project.keep({ verb: 'AlterProxy', proxy: p.id, to: { hidden: !p.hidden } })}
          >{p.hidden ? 'show' : 'hide'}</button
        >
      </li>
    {/each}
  </ul>

  {#if chosen}
    <h2 class="section">{chosen.name} <small>{chosen.kind}</small></h2>
    <div class="flex items-center justify-between gap-2 py-0.5">
      <label for="proxy-name" class="text-quiet">Name</label>
      <input
        id="proxy-name"
        class="h-7 w-[152px] rounded-md border border-line bg-field px-2 text-[13px]"
        maxlength="80"
        value={chosen.name}
        onchange={(e) => {
          const name = e.currentTarget.value.trim();
          if (name) void project.keep({ verb: 'AlterProxy', proxy: chosen.id, to: { name } });
        }}
      />
    </div>
    {#each fields as { name, label, unit, min, step, places } (chosen.id + name)}
      <NumberField
        {label}
        {unit}
        {min}
        step={step ?? 0.1}
        places={places ?? 2}
        value={value(name)}
        ontry={(v) => project.try(altered(name, v))}
        onkeep={(v) => project.keep(altered(name, v))}
      />
    {/each}
    <div class="mt-3 grid grid-cols-2 gap-2">
      <button class="act" onclick={duplicate}>Duplicate</button>
      <button class="act" onclick={remove}>Delete</button>
    </div>
  {/if}
  <button
    class="act onward w-full"
    class:main={proxies.length > 0 && !chosen}
    disabled={!proxies.length}
    onclick={() => route.go(route.project, 'cast')}>On to Cast</button
  >
{/if}
