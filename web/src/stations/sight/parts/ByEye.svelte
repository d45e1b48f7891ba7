<script lang="ts">
  /** The camera set by hand, where there is nothing to trace. */
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const plate = $derived(project.scene!.plate);
  const locked = $derived(sighting.locked ?? false);
  const eye = $derived(sighting.given ? null : sighting.by_eye);
  const mm = $derived(36 / Math.max(plate.width, plate.height));
  const set = (change: Partial<NonNullable<typeof eye>>) =>
    project.keep((s) => {
      const now = s.sighting?.by_eye;
      return now ? { verb: 'SetByEye', by_eye: { ...now, ...change } } : null;
    });
  const ANGLES = [
    ['Tilt', 'tilt_deg'],
    ['Roll', 'roll_deg'],
    ['Heading', 'yaw_deg'],
  ] as const;
</script>

{#if !eye}
  <p class="mb-1.5 text-quiet">
    Where nothing runs straight, lay horizon, tilt, ground and focal length over the picture by
    hand.
  </p>
  <Press class="w-full" disabled={locked} onclick={() => project.keep({ verb: 'StartByEye' })}
    >Sight by eye</Press
  >
{:else}
  <p class="mb-1 text-[12px] text-quiet">
    Drag the horizon's middle up and down, its ends to tilt it, the ground sideways to turn it, and
    a bracket at the frame's corner for the focal length.
  </p>
  <NumberField
    label="Focal, 35 mm terms"
    unit="mm"
    places={1}
    step={0.5}
    min={4}
    value={eye.focal_px * mm}
    disabled={locked}
    onkeep={(v) => set({ focal_px: v / mm })}
  />
  {#each ANGLES as [label, field] (field)}
    <NumberField
      {label}
      unit="°"
      places={1}
      step={0.1}
      value={eye[field] ?? 0}
      disabled={locked}
      onkeep={(v) => set({ [field]: v })}
    />
  {/each}
  <Press
    class="mt-1 w-full"
    disabled={locked}
    onclick={() => project.keep({ verb: 'SetByEye', by_eye: null })}>Back to the traces</Press
  >
{/if}
