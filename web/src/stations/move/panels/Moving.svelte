<script lang="ts">
  /** Proxies that move over the shot: a door on one of its edges, a boat that goes by. */
  import { Select } from 'flowbite-svelte';
  import type { Change } from '../../../lib/api/client';
  import Press from '../../../lib/Press.svelte';
  import Section from '../../../lib/Section.svelte';
  import { EDGES, type EdgeName } from '../../../project/edges';
  import NumberField from '../../../project/NumberField.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { shapesAt } from '../../../project/times';
  import { selection } from '../../../project/selection.svelte';

  const scene = $derived(project.scene!);
  const chosen = $derived(scene.proxies.find((p) => p.id === selection.one('proxy')) ?? null);
  const stands = $derived(!!chosen && 'turn_deg' in chosen);
  const glazed = $derived((scene.glazed ?? []).some((one) => one.id === chosen?.id));
  const tracks = $derived(scene.tracks ?? []);
  const moving = $derived(
    [...new Set(tracks.map((track) => track.part))].flatMap(
      (id) => scene.proxies.find((p) => p.id === id) ?? [],
    ),
  );
  const last = $derived((scene.move.frames ?? 1) - 1);
  let side = $state<EdgeName>('left');
  let degrees = $state(80);
  let span = $state<[number, number] | null>(null);
  const from = $derived(span?.[0] ?? 0);
  const to = $derived(span?.[1] ?? last);

  const open = $derived<Change>({
    verb: 'OpenOn',
    proxy: chosen?.id ?? '',
    side,
    by_deg: degrees,
    first: from,
    last: to,
    ease: 'both',
  } as Change);
  /** Where it is at the frame that is looked at, but for a hinge, which turns it on top of that:
   *  between keys of one that has a hinge too, nothing is said. */
  const now = $derived.by(() => {
    if (!chosen || !('x' in chosen)) return null;
    const mine = tracks.filter((track) => track.part === chosen.id);
    const hinged = mine.some((track) => track.of === 'hinge_deg');
    const frame = shapesAt(project.shapes, project.times, playhead.frame).get(chosen.id)?.frame;
    const at = (of: string, still: number, drawn: number | undefined) => {
      const keys = mine.find((track) => track.of === of)?.keys;
      if (!keys) return still;
      const key = keys.find((k) => k.frame === playhead.frame);
      return key?.value ?? (hinged ? null : (drawn ?? null));
    };
    const turned = frame && (Math.atan2(frame[2], frame[10]) * 180) / Math.PI;
    return {
      x: at('x', chosen.x ?? 0, frame?.[3]),
      level_m: at('level_m', chosen.level_m ?? 0, frame?.[7]),
      z: at('z', chosen.z ?? 0, frame?.[11]),
      turn_deg: at('turn_deg', chosen.turn_deg ?? 0, turned),
    };
  });
  const PLACES = [
    ['x', 'Across', 'm'],
    ['level_m', 'Up', 'm'],
    ['z', 'Towards the lens', 'm'],
    ['turn_deg', 'Turn', '°'],
  ] as const;
  const keyed = (name: string, value: number) =>
    ({
      verb: 'KeyProxy',
      proxy: chosen!.id,
      frame: playhead.frame,
      [name]: value,
      ease: 'both',
    }) as unknown as Change;
</script>

<Section
  title="Doors and boats"
  note={moving.length
    ? `${moving.length} ${moving.length === 1 ? 'moves' : 'move'}`
    : 'all stand still'}
>
  {#each moving as one (one.id)}
    <div class="flex items-center gap-1.5 py-0.5">
      <Press
        kind="bare"
        class={['flex-1 text-left text-[12px]', selection.has('proxy', one.id) && 'text-lantern']}
        aria-pressed={selection.has('proxy', one.id)}
        onclick={() => selection.toggle('proxy', one.id)}>{one.name}</Press
      >
      <Press tight onclick={() => void project.keep({ verb: 'HoldStill', part: one.id })}
        >Hold it still</Press
      >
    </div>
  {/each}
  {#if !stands}
    <p class="text-[12px] text-quiet">
      Select a proxy in the walk view, or in Block, to open it on an edge or to send it along.
    </p>
  {:else if chosen}
    <p class="mt-1 font-medium">Open {chosen.name}</p>
    <div class="flex items-center justify-between gap-2 py-0.5">
      <label class="text-quiet" for="hinge">On its</label>
      <Select placeholder="" id="hinge" class="w-[168px]" bind:value={side}>
        {#each EDGES as [name, words] (name)}<option value={name}>{words}</option>{/each}
      </Select>
    </div>
    <NumberField
      label="By"
      unit="°"
      places={0}
      step={5}
      value={degrees}
      ontry={(v) => {
        degrees = v;
        project.try(open);
      }}
      onkeep={(v) => (degrees = v)}
    />
    <div class="grid grid-cols-2 gap-x-3">
      <NumberField
        label="From frame"
        places={0}
        step={1}
        min={0}
        value={playhead.numbered(from)}
        onkeep={(v) => (span = [playhead.frameOf(v), to])}
      />
      <NumberField
        label="to frame"
        places={0}
        step={1}
        min={0}
        value={playhead.numbered(to)}
        onkeep={(v) => (span = [from, playhead.frameOf(v)])}
      />
    </div>
    {#if !glazed}
      <Press
        tight
        class="mt-1 w-full"
        onclick={() => void project.keep({ verb: 'Glaze', proxies: [chosen.id] } as Change)}
        >Glaze it first, so that its picture goes along</Press
      >
    {/if}
    <Press class="mt-1 w-full" onclick={() => void project.keep(open)}>Open it over the shot</Press>
    {#if now}
      <p class="mt-1.5 font-medium">Where it is at frame {playhead.numbered()}</p>
      {#each PLACES as [name, label, unit] (name)}
        <NumberField
          {label}
          {unit}
          value={now[name]}
          ontry={(v) => project.try(keyed(name, v))}
          onkeep={(v) => void project.keep(keyed(name, v))}
        />
      {/each}
    {/if}
  {/if}
</Section>
