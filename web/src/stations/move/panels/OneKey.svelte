<script lang="ts">
  /** The key at the playhead in numbers, or the way to one. */
  import { Kbd, Select } from 'flowbite-svelte';
  import type { Change, Key } from '../../../lib/api/client';
  import Press from '../../../lib/Press.svelte';
  import Section from '../../../lib/Section.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { steering } from '../steering.svelte';

  const keys = $derived(project.keys);
  const at = $derived(playhead.frame);
  const key = $derived(keys.find((k) => k.frame === at));
  const aim = $derived(project.scene!.move.aim?.findLast((k) => k.frame <= at));
  const followed = $derived(project.scene!.proxies.find((p) => p.id === aim?.proxy)?.name);
  const chosen = $derived(selection.one('proxy'));

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
  const aimAt = (more: object) =>
    project.keep({ verb: 'AimAt', frame: at, throughout: false, ease: 'both', ...more } as Change);
</script>

<Section
  title={`${key ? 'Key at' : 'Frame'} ${playhead.numbered(at)}`}
  note="{keys.length} {keys.length === 1 ? 'key' : 'keys'}"
  open
>
  <p class="text-[12px] text-quiet">
    It looks {followed
      ? `at ${followed}, wherever that goes`
      : aim?.way
        ? 'one way'
        : 'at a place'}.
  </p>
  <div class="my-1 grid grid-cols-2 gap-1">
    <Press
      tight
      disabled={!chosen}
      title={chosen ? 'From this frame on' : 'Select a proxy first'}
      onclick={() => aimAt({ proxy: chosen })}>Follow the selected</Press
    >
    <Press tight title="The way it looks now, wherever it goes" onclick={() => aimAt({})}
      >Look one way</Press
    >
  </div>
  {#if key}
    {#each ['position', 'aim'] as const as which (which)}
      <p class="mt-1 font-medium capitalize">{which}</p>
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
    <p class="mt-1 font-medium">Lens</p>
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
    <Press class="mt-1 w-full" onclick={() => project.keep({ verb: 'DeleteKey', frame: at })}
      >Delete this key</Press
    >
  {:else}
    <Press class="w-full" onclick={() => void steering.key()}>Key here <Kbd>K</Kbd></Press>
  {/if}
</Section>
