<script lang="ts">
  /** Length and rate of the shot, and how its frames are numbered outside. */
  import Section from '../../../lib/Section.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { timecode } from '../../../project/timecode';

  const move = $derived(project.scene!.move);
  const set = (to: { frames?: number; fps?: number; first?: number }) =>
    project.keep((s) => ({
      verb: 'SetShot',
      fps: s.move.fps ?? 24,
      frames: s.move.frames ?? 96,
      ...to,
    }));
</script>

<Section title="Shot" note="{move.frames} frames · {timecode(move.frames!, move.fps!)}">
  <NumberField
    label="Frames"
    places={0}
    step={1}
    min={1}
    value={move.frames}
    onkeep={(v) => set({ frames: Math.round(v) })}
  />
  <NumberField
    label="Frame rate"
    unit="fps"
    places={2}
    step={1}
    min={1}
    value={move.fps}
    onkeep={(v) => set({ fps: v })}
  />
  <NumberField
    label="First frame is number"
    places={0}
    step={1}
    min={0}
    value={move.first ?? 0}
    onkeep={(v) => set({ first: Math.round(v) })}
  />
</Section>
