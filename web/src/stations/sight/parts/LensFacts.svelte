<script lang="ts">
  /** What is known of the lens: focal length, principal point, bending. */
  import { Select } from 'flowbite-svelte';
  import { api, type Sensor } from '../../../lib/api/client';
  import type { Scene } from '../../../project/known';
  import { bendBack, flatten } from '../flatten';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { plain } from '../../../lib/words';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const plate = $derived(project.scene!.plate);
  const r = $derived(project.reading);
  const locked = $derived((sighting.locked ?? false) || !!sighting.by_eye || !!sighting.given);
  const long = $derived(Math.max(plate.width, plate.height));

  let sensors = $state.raw<Sensor[]>([]);
  $effect(() => {
    void api.GET('/api/sensors').then(({ data }) => {
      if (data) sensors = data;
    });
  });
  let by = $state('35'); // 35 mm terms, a crop factor, own size, or a sensor's name
  let sure = $state<'exactly' | 'closely' | 'roughly'>('closely');
  let crop = $state(1.5);
  let own = $state<[number, number]>([36, 24]);
  let typed = $state<number | null>(null);
  const sensor = $derived(sensors.find((s) => s.name === by));
  const mm = $derived(
    sighting.focal ? (by === '35' ? (sighting.focal.value * 36) / long : typed) : typed,
  );

  function give(focal_mm: number) {
    typed = focal_mm;
    const size: [number, number] | null = sensor
      ? [sensor.width_mm, sensor.height_mm]
      : by === 'own'
        ? own
        : null;
    void project.keep({
      verb: 'GiveFocal',
      focal_mm,
      sensor_mm: size,
      crop: by === 'crop' ? crop : null,
      sure,
    });
  }
  const again = () => {
    if (mm) give(mm);
  };
  const principal = $derived(
    sighting.principal === 'solve' ? 'solve' : sighting.principal ? 'given' : 'middle',
  );
  const pointOf = (s: Scene): [number, number] => {
    const given = s.sighting?.principal;
    return Array.isArray(given) ? [given[0], given[1]] : [s.plate.width / 2, s.plate.height / 2];
  };
  const point = $derived(pointOf(project.scene!));
  const bend = $derived(sighting.bend === 'solve' ? 'solve' : sighting.bend ? 'given' : 'straight');
  const bendOf = (s: Scene) => {
    const given = s.sighting?.bend;
    return given && given !== 'solve' ? given : { k1: 0, k2: 0 };
  };
  const k = $derived(bendOf(project.scene!));
</script>

<NumberField
  label="Focal length"
  unit="mm"
  places={1}
  step={0.5}
  min={2}
  value={mm}
  disabled={locked}
  onkeep={give}
/>
<div class="flex gap-1.5">
  <Select
    placeholder=""
    class="min-w-0 flex-1"
    aria-label="What the focal length refers to"
    bind:value={by}
    disabled={locked}
    onchange={again}
  >
    <option value="35">in 35 mm terms</option>
    <option value="crop">with a crop factor</option>
    <option value="own">with my sensor size</option>
    {#each sensors as s (s.name)}
      <option value={s.name}>{s.name}, {s.width_mm} × {s.height_mm} mm</option>
    {/each}
  </Select>
  <Select
    placeholder=""
    aria-label="How surely the focal length is known"
    bind:value={sure}
    disabled={locked}
    onchange={again}
  >
    <option value="exactly">exactly</option>
    <option value="closely">within 2 %</option>
    <option value="roughly">within 10 %</option>
  </Select>
</div>
{#if by === 'crop'}
  <NumberField
    label="Crop factor"
    value={crop}
    min={0.06}
    onkeep={(v) => {
      crop = v;
      again();
    }}
  />
{:else if by === 'own'}
  <NumberField
    label="Sensor width"
    unit="mm"
    value={own[0]}
    min={0.5}
    onkeep={(v) => {
      own = [v, own[1]];
      again();
    }}
  />
  <NumberField
    label="Sensor height"
    unit="mm"
    value={own[1]}
    min={0.5}
    onkeep={(v) => {
      own = [own[0], v];
      again();
    }}
  />
{:else if sensor}
  <p class="num text-[12px] text-quiet">crop factor {plain(sensor.crop)}</p>
{/if}
<div class="flex justify-between text-[12px]">
  {#if plate.lens?.focal_35mm && !locked}
    <Press
      kind="bare"
      class="text-quiet underline hover:text-ink"
      onclick={() => {
        by = '35';
        sure = 'roughly';
        give(plate.lens!.focal_35mm!);
      }}>Use the file's {plain(plate.lens.focal_35mm, 0)} mm</Press
    >
  {/if}
  {#if sighting.focal && !locked}
    <Press
      kind="bare"
      class="ml-auto text-quiet underline hover:text-ink"
      onclick={() => {
        typed = null;
        void project.keep({ verb: 'SetFocal', focal: null });
      }}>Let it be solved</Press
    >
  {/if}
</div>

<div class="mt-2 flex items-center justify-between gap-2">
  <label for="made" class="text-quiet">Made by</label>
  <Select
    placeholder=""
    id="made"
    disabled={locked}
    value={sighting.made}
    onchange={(e) =>
      project.keep({
        verb: 'SetMade',
        made: e.currentTarget.value === 'render' ? 'render' : 'photo',
      })}
  >
    <option value="photo">a camera</option>
    <option value="render">a renderer, exactly</option>
  </Select>
</div>

<div class="mt-2 flex items-center justify-between gap-2">
  <label for="principal" class="text-quiet">Principal point</label>
  <Select
    placeholder=""
    id="principal"
    disabled={locked}
    value={principal}
    onchange={(e) =>
      project.keep({
        verb: 'SetPrincipal',
        principal:
          e.currentTarget.value === 'solve'
            ? 'solve'
            : e.currentTarget.value === 'given'
              ? point
              : null,
      })}
  >
    <option value="middle">held in the middle</option>
    <option value="solve">solved (cropped picture)</option>
    <option value="given">given</option>
  </Select>
</div>
{#if principal === 'given'}
  {#each ['x', 'y'] as const as axis, i (axis)}
    <NumberField
      label="Principal point {axis}"
      unit="px"
      places={1}
      step={1}
      value={point[i]}
      disabled={locked}
      onkeep={(v) =>
        project.keep((s) => {
          const [x, y] = pointOf(s);
          return { verb: 'SetPrincipal', principal: i === 0 ? [v, y] : [x, v] };
        })}
    />
  {/each}
{:else if principal === 'solve' && r?.principal}
  <p class="num text-right text-[12px] text-quiet">
    {r.principal_sigma_px
      ? `${plain(r.principal[0], 0)} ± ${plain(r.principal_sigma_px[0], 0)}, ${plain(r.principal[1], 0)} ± ${plain(r.principal_sigma_px[1], 0)} px`
      : 'not carried: held in the middle'}
  </p>
{/if}

<div class="mt-2 flex items-center justify-between gap-2">
  <label for="bending" class="text-quiet">Bending</label>
  {#if plate.flattened}
    <span class="num text-[12px] text-quiet"
      >flattened, k1 {plain(plate.flattened.bend.k1 ?? 0, 3)}</span
    >
  {:else}
    <Select
      placeholder=""
      id="bending"
      disabled={locked}
      value={bend}
      onchange={(e) =>
        project.keep({
          verb: 'SetBend',
          bend:
            e.currentTarget.value === 'solve'
              ? 'solve'
              : e.currentTarget.value === 'given'
                ? { k1: r?.bend?.k1 ?? 0, k2: r?.bend?.k2 ?? 0 }
                : null,
        })}
    >
      <option value="straight">none: lines stay straight</option>
      <option value="solve">solved from bent traces</option>
      <option value="given">given</option>
    </Select>
  {/if}
</div>
{#if bend === 'given'}
  {#each ['k1', 'k2'] as const as name (name)}
    <NumberField
      label={name}
      places={4}
      step={0.005}
      value={k[name] ?? 0}
      disabled={locked}
      onkeep={(v) => project.keep((s) => ({ verb: 'SetBend', bend: { ...bendOf(s), [name]: v } }))}
    />
  {/each}
{:else if bend === 'solve' && r?.bend}
  <p class="num text-right text-[12px] text-quiet">
    k1 {plain(r.bend.k1, 4)} ± {plain(r.bend.k1_sigma, 4)}{r.bend.k2
      ? `, k2 ${plain(r.bend.k2, 4)} ± ${plain(r.bend.k2_sigma, 4)}`
      : ''}
  </p>
{/if}
{#if plate.flattened}
  <Press class="mt-1 w-full" disabled={sighting.locked} onclick={bendBack}
    >Bring the bent plate back</Press
  >
{:else if r?.bend}
  <Press class="mt-1 w-full" disabled={sighting.locked} onclick={flatten}>Flatten the plate</Press>
{/if}
