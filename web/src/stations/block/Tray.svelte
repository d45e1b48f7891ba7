<script lang="ts">
  import NumberField from '../../lib/NumberField.svelte';
  import { project } from '../../lib/project.svelte';
  import { route } from '../../lib/route.svelte';
  import { selection } from '../../lib/selection.svelte';
  import { tool } from '../../lib/tool.svelte';
  import Swatch from '../../lib/Swatch.svelte';
  import { isBearing, nameOf, waysOf } from '../../lib/words';
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
    return kind ? (kind.feet[blockHand.picks.length] ?? kind.round ?? kind.top) : null;
  });
  const sides = $derived(chosen ? KINDS.get(chosen.kind!)?.sides : undefined);
  /** How far its foot, or what hangs, is from the lens. */
  const distance = $derived.by(() => {
    const camera = project.reading?.camera;
    if (!chosen || !camera) return null;
    if ('distance_m' in chosen) return chosen.distance_m;
    const [x, y, z] = camera.position;
    return Math.hypot((chosen.x ?? 0) - x, (chosen.level_m ?? 0) - y, (chosen.z ?? 0) - z);
  });
  // what is level, and so can be stood along
  const level = $derived(waysOf(project.scene?.sighting.traces).filter((way) => way !== 'up'));
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
  <div class="grid grid-cols-4 gap-1.5" role="group" aria-label="Stand a proxy">
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
    <button
      class="act"
      disabled={!chosen || !('depth_m' in chosen)}
      title="Raise a wall from the far edge of the selected floor, box or room"
      onclick={() => project.keep({ verb: 'RaiseWall', proxy: chosen!.id, edge: 2 })}>Wall</button
    >
  </div>
  <div class="mt-1.5 grid grid-cols-3 gap-1.5">
    <button class="act px-1 text-[12px]" onclick={() => project.keep({ verb: 'LayGround' })}
      >Lay the ground</button
    >
    <button
      class="act px-1 text-[12px]"
      onclick={() => project.keep({ verb: 'Hang', margin: 0.25 })}>Hang a backdrop</button
    >
    <button class="act px-1 text-[12px]" onclick={() => project.keep({ verb: 'HangDome' })}
      >Hang a dome</button
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
    <NumberField
      label="Distance, held in the picture"
      unit="m"
      min={0.01}
      step={0.5}
      value={distance}
      ontry={(v) => project.try({ verb: 'Reach', proxy: chosen.id, to_m: v })}
      onkeep={(v) => project.keep({ verb: 'Reach', proxy: chosen.id, to_m: v })}
    />
    {#if sides}
      <div class="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Its sides">
        <span class="mr-auto text-quiet">Sides</span>
        {#each sides as side (side)}
          {@const there = (chosen as { sides?: string[] }).sides ?? []}
          <button
            class="act px-2 text-[12px]"
            aria-pressed={there.includes(side)}
            disabled={there.length === 1 && there[0] === side}
            onclick={() =>
              project.keep({
                verb: 'AlterProxy',
                proxy: chosen.id,
                to: {
                  sides: (there.includes(side)
                    ? there.filter((s) => s !== side)
                    : [...there, side]) as never,
                },
              })}>{side}</button
          >
        {/each}
      </div>
    {/if}
    {#if 'turn_deg' in chosen}
      <div class="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Turn along">
        <span class="mr-auto text-quiet">Along</span>
        {#each level as way (way)}
          <button
            class="act flex items-center gap-1.5 px-2 text-[12px]"
            title="Along {nameOf(way)}"
            onclick={() => project.keep({ verb: 'TurnAlong', proxy: chosen.id, way })}
            ><Swatch heading={way} wide={16} />{isBearing(way) ? way : nameOf(way)}</button
          >
        {/each}
      </div>
    {/if}
    <div class="mt-3 grid grid-cols-2 gap-2">
      <button class="act" onclick={duplicate}>Duplicate</button>
      <button class="act" onclick={remove}>Delete</button>
    </div>
  {/if}
  <h2 class="section">Proxies <small>{proxies.length}</small></h2>
  <ul class="max-h-[max(13rem,calc(100vh-560px))] overflow-y-auto" aria-label="Proxies">
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

  <button
    class="act onward w-full"
    class:main={proxies.length > 0 && !chosen}
    disabled={!proxies.length}
    onclick={() => route.go(route.project, 'cast')}>On to Cast</button
  >
{/if}
