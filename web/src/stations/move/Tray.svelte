<script lang="ts">
  import Foot from '../../lib/Foot.svelte';
  import Advice from '../../lib/Advice.svelte';
  import Heading from '../../lib/Heading.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { Select } from 'flowbite-svelte';
  import type { Change, Key } from '../../lib/api/client';
  import { playhead } from '../../project/playhead.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import { keyHere, STILL } from './key';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const move = $derived(scene.move!);
  const keys = $derived(project.keys);
  const settled = $derived(project.reading?.settled ?? false);
  const at = $derived(playhead.frame);
  const key = $derived(project.keys.find((k) => k.frame === at));
  let distance = $state(1.5);

  const EASES = [
    ['none', 'no ease'],
    ['out', 'ease leaving'],
    ['in', 'ease arriving'],
    ['both', 'ease both'],
  ] as const;
  const AXES = ['Across', 'Up', 'Towards the lens'];

  /** A change of the key at this frame, as the key is when the change's turn comes. */
  function set(change: (key: Key) => Partial<Key>): () => Change | null {
    const frame = at;
    return () => {
      const now = project.state!.keys.find((k) => k.frame === frame);
      return now ? { verb: 'SetKey', key: { ...now, ...change(now) } } : null;
    };
  }
  const place = (which: 'position' | 'aim', axis: number, v: number) =>
    set((now) => ({ [which]: now[which].map((old, i) => (i === axis ? v : old)) }));
  const STEPS: [string, Partial<typeof STILL>][] = [
    ['In', { forward_m: 0.25 }],
    ['Out', { forward_m: -0.25 }],
    ['Left', { right_m: -0.25 }],
    ['Right', { right_m: 0.25 }],
    ['Rise', { up_m: 0.25 }],
    ['Sink', { up_m: -0.25 }],
    ['Turn left', { turn_deg: -2 }],
    ['Turn right', { turn_deg: 2 }],
  ] as unknown as [string, Partial<typeof STILL>][];
  const nudge = (by: Partial<typeof STILL>) =>
    project.keep({ verb: 'KeyHere', frame: at, ...STILL, ...by });
</script>

{#if !settled}
  <Advice><b>No camera yet.</b> The shot starts from the sighted camera.</Advice>
  <Press main class="mt-3 w-full" onclick={() => route.go(route.project, 'sight')}
    >Back to Sight</Press
  >
{:else}
  <Advice>
    {#if !keys.length}
      <b>Push</b> makes a whole shot from the sighted camera straight in. Or set a key here, go to another
      frame, and move the camera.
    {:else}
      Play with <Kbd>Space</Kbd>. Drag a key to another frame; on a key, change its numbers below.
    {/if}
  </Advice>

  <Heading>Ready move</Heading>
  <div class="flex items-end gap-2">
    <div class="flex-1">
      <NumberField
        label="By"
        unit="m"
        value={distance}
        min={0.01}
        onkeep={(v) => {
          if (v > 0) distance = v;
          else project.say('A push needs a distance of more than nothing.', 'warning');
        }}
      />
    </div>
    <Press onclick={() => project.keep({ verb: 'Push', distance_m: distance })} main={!keys.length}
      >Push</Press
    >
  </div>

  <Heading>
    {key ? `Key at ${at}` : `Frame ${at}`}
    <small>{keys.length} {keys.length === 1 ? 'key' : 'keys'}</small>
  </Heading>
  <div class="mb-2 grid grid-cols-4 gap-1.5" role="group" aria-label="Move the camera here">
    {#each STEPS as [label, by] (label)}
      <Press class="px-1 text-[12px]" onclick={() => nudge(by)}>{label}</Press>
    {/each}
  </div>
  {#if key}
    {#each ['position', 'aim'] as const as which (which)}
      <p class="mt-2 font-medium capitalize">{which}</p>
      {#each AXES as axis, i (axis)}
        <NumberField
          label={axis}
          unit="m"
          value={key[which][i]}
          ontry={(v) => project.try(place(which, i, v))}
          onkeep={(v) => project.keep(place(which, i, v))}
        />
      {/each}
    {/each}
    <p class="mt-2 font-medium">Lens</p>
    <NumberField
      label="Focal"
      unit="mm"
      places={1}
      step={0.5}
      min={2}
      value={key.focal_mm}
      ontry={(v) => project.try(set(() => ({ focal_mm: v })))}
      onkeep={(v) => project.keep(set(() => ({ focal_mm: v })))}
    />
    <NumberField
      label="Roll"
      unit="°"
      places={1}
      step={0.5}
      value={key.roll_deg}
      ontry={(v) => project.try(set(() => ({ roll_deg: v })))}
      onkeep={(v) => project.keep(set(() => ({ roll_deg: v })))}
    />
    <div class="flex items-center justify-between py-0.5">
      <label class="text-quiet" for="ease">Ease</label>
      <Select
        placeholder=""
        class="w-[152px]"
        id="ease"
        value={key.ease}
        onchange={(e) => {
          const ease = e.currentTarget.value as Key['ease'];
          void project.keep(set(() => ({ ease })));
        }}
      >
        {#each EASES as [v, label] (v)}<option value={v}>{label}</option>{/each}
      </Select>
    </div>
    <Press class="mt-2 w-full" onclick={() => project.keep({ verb: 'DeleteKey', frame: at })}
      >Delete this key</Press
    >
  {:else}
    <Press class="w-full" onclick={keyHere}>Key here <Kbd>K</Kbd></Press>
  {/if}

  <Heading>Shot</Heading>
  <NumberField
    label="Frames"
    places={0}
    step={1}
    min={1}
    value={move.frames}
    onkeep={(v) =>
      project.keep((s) => ({
        verb: 'SetShot',
        fps: s.move?.fps ?? 24,
        frames: Math.round(v),
      }))}
  />
  <NumberField
    label="Frame rate"
    unit="fps"
    places={2}
    step={1}
    min={1}
    value={move.fps}
    onkeep={(v) =>
      project.keep((s) => ({
        verb: 'SetShot',
        fps: v,
        frames: s.move?.frames ?? 96,
      }))}
  />
  <Foot
    ><Press
      class="w-full"
      disabled={!(scene.proxies ?? []).length}
      onclick={() => route.go(route.project, 'deliver')}
      main={keys.length > 0}>On to Deliver</Press
    ></Foot
  >
{/if}
