<script lang="ts">
  /** A number that can be another one at other frames: a slider, its field, and whether it has a key
   *  at the playhead. Where it has keys, what is set is set at the playhead's frame. */
  import { Range } from 'flowbite-svelte';
  import type { Change, Track } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';

  let {
    part,
    of,
    label,
    value,
    now = null,
    unit = '',
    places = 2,
    step = 0.05,
    least,
    most,
    length = false,
    set,
  }: {
    part: string;
    of: Track['of'];
    label: string;
    value: number; // where it has no keys
    now?: number | null; // between keys, where that is known
    unit?: string;
    places?: number;
    step?: number;
    least: number; // of the slider
    most: number;
    length?: boolean;
    set: (value: number) => Change | (() => Change | null);
  } = $props();

  const id = $props.id();
  let dragged = $state<number | null>(null);
  const keys = $derived(
    project.scene!.tracks.find((t) => t.part === part && t.of === of)?.keys ?? [],
  );
  const key = $derived(keys.find((one) => one.frame === playhead.frame));
  const here = $derived(!!key);
  const shown = $derived(dragged ?? (keys.length ? (key?.value ?? now) : value));

  type Keys = Extract<Change, { verb: 'SetTrack' }>['keys'];
  const track = (to: Keys): Change => ({ verb: 'SetTrack', part, of, keys: to }) as Change;
  /** The change that sets it, at the playhead where it has keys. */
  function change(to: number): Change | (() => Change | null) {
    if (!keys.length) return set(to);
    const frame = playhead.frame;
    return () => {
      const now = project.scene?.tracks.find((t) => t.part === part && t.of === of)?.keys ?? [];
      const others = now.filter((key) => key.frame !== frame);
      const old = now.find((key) => key.frame === frame) ?? { frame, ease: 'both', hold: false };
      return track([...others, { ...old, value: to }] as Keys);
    };
  }
  function toggle() {
    const frame = playhead.frame;
    const others = keys.filter((key) => key.frame !== frame);
    void project.keep(
      track(here ? others : ([...others, { frame, value: shown ?? value, ease: 'both' }] as Keys)),
    );
  }
</script>

<div class="flex items-center gap-1.5">
  <div class="min-w-0 flex-1">
    <NumberField
      {label}
      {unit}
      {places}
      {step}
      {length}
      value={shown}
      onkeep={(v) => void project.keep(change(v))}
      ontry={(v) => project.try(change(v))}
    />
  </div>
  <Press
    kind="bare"
    class="h-6 w-5 shrink-0"
    aria-pressed={here}
    aria-label="{label}: key at {playhead.numbered()}"
    title={here
      ? 'It has a key here: take it away'
      : keys.length
        ? 'It changes over the shot: set a key here'
        : 'Set a key here, so that it can be another at other frames'}
    onclick={toggle}
  >
    <svg width="13" height="12" viewBox="-6.5 -6 13 12" aria-hidden="true">
      <path
        d="M-6 0L-3 -5.2H3L6 0L3 5.2H-3Z"
        fill={here ? 'var(--color-lantern)' : 'none'}
        stroke={keys.length ? 'var(--color-lantern)' : 'var(--color-quiet)'}
      />
    </svg>
  </Press>
</div>
<Range
  {id}
  aria-label={label}
  min={least}
  max={most}
  step={step / 5}
  value={Math.min(Math.max(shown ?? value, least), most)}
  oninput={(e) => {
    dragged = Number(e.currentTarget.value);
    project.try(change(dragged));
  }}
  onchange={(e) => {
    void project.keep(change(Number(e.currentTarget.value))).finally(() => (dragged = null));
  }}
/>
