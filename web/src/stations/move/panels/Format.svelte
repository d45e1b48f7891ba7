<script lang="ts">
  /** The format that the shot is delivered in, as a crop of the picture. */
  import { Range, Select } from 'flowbite-svelte';
  import Section from '../../../lib/Section.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { aspect } from '../../../lib/words';
  import { guides } from '../guides.svelte';
  import Press from '../../../lib/Press.svelte';

  const SHAPES = [
    ['1920×1080', 'wide, 1920 × 1080'],
    ['2048×858', 'very wide, 2048 × 858'],
    ['1080×1920', 'upright, 1080 × 1920'],
    ['1080×1350', 'upright, 1080 × 1350'],
    ['1080×1080', 'square, 1080 × 1080'],
  ] as const;

  const frame = $derived(project.scene!.move.frame ?? null);
  const plate = $derived(project.scene!.plate);
  const own = $derived(frame ? `${frame.width}×${frame.height}` : 'picture');
  const listed = $derived(own === 'picture' || SHAPES.some(([name]) => name === own));
  const alter = (to: Partial<NonNullable<typeof frame>>) =>
    project.keep((s) => ({ verb: 'SetFrame', frame: { ...s.move.frame!, ...to } }));

  function choose(name: string) {
    if (name === 'picture') return void project.keep({ verb: 'SetFrame', frame: null });
    const [width, height] = name.split('×').map(Number);
    void project.keep({ verb: 'CutTo', width, height, overscan: frame?.overscan ?? 0 });
  }
  let across = $state<number | null>(null);
  const sideways = $derived(
    frame && frame.width / frame.height < plate.width / plate.height ? 0 : 1,
  );
  const at = $derived(across ?? frame?.at?.[sideways] ?? 0.5);
  const placed = (v: number): [number, number] => {
    const [x, y] = frame?.at ?? [0.5, 0.5];
    return sideways ? [x, v] : [v, y];
  };
</script>

<Section
  title="Delivery frame"
  note={frame ? `${frame.width} × ${frame.height}` : aspect(plate.width, plate.height)}
>
  <Select
    placeholder=""
    aria-label="Delivery frame"
    value={own}
    onchange={(e) => choose(e.currentTarget.value)}
  >
    <option value="picture">the whole picture</option>
    {#each SHAPES as [name, words] (name)}<option value={name}>{words}</option>{/each}
    {#if !listed}<option value={own}>{own}</option>{/if}
  </Select>
  {#if frame}
    <div class="mt-1.5 flex items-center gap-2">
      <label class="w-20 text-quiet" for="cut-at">{sideways ? 'Down' : 'Across'}</label>
      <Range
        id="cut-at"
        class="flex-1"
        min={0}
        max={100}
        step={1}
        value={Math.round(at * 100)}
        oninput={(e) => {
          across = Number(e.currentTarget.value) / 100;
          project.try({ verb: 'SetFrame', frame: { ...frame, at: placed(across) } });
        }}
        onchange={(e) => {
          const to = placed(Number(e.currentTarget.value) / 100);
          void alter({ at: to }).finally(() => (across = null));
        }}
      />
      <Press tight title="Cut about what the camera aims at" onclick={() => choose(own)}
        >On the aim</Press
      >
    </div>
    <NumberField
      label="Width"
      unit="px"
      places={0}
      step={10}
      min={16}
      value={frame.width}
      onkeep={(v) => alter({ width: Math.round(v) })}
    />
    <NumberField
      label="Height"
      unit="px"
      places={0}
      step={10}
      min={16}
      value={frame.height}
      onkeep={(v) => alter({ height: Math.round(v) })}
    />
    <NumberField
      label="Overscan"
      unit="%"
      places={1}
      step={1}
      min={0}
      value={(frame.overscan ?? 0) * 100}
      onkeep={(v) => alter({ overscan: Math.min(Math.max(v / 100, 0), 1) })}
    />
  {/if}
  <Press tight class="mt-1" aria-pressed={guides.on} onclick={() => (guides.on = !guides.on)}
    >Guides over the shot</Press
  >
</Section>
