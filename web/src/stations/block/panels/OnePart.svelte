<script lang="ts">
  /** A face, an edge or a corner: what is done with it. */
  import Heading from '../../../lib/Heading.svelte';
  import type { Change } from '../../../lib/api/client';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { parts, partName, type ChosenPart } from '../parts.svelte';
  import Press from '../../../lib/Press.svelte';

  let { at }: { at: ChosenPart } = $props();

  const proxy = $derived(project.scene!.proxies.find((p) => p.id === at.proxy));
  const face = $derived(at.part.face ?? null);
  const weld = $derived(
    project.scene!.welds.find((w) =>
      w.corners.some((c) => c.proxy === at.proxy && c.corner === at.part.corner),
    ),
  );
  const distance = $derived.by(() => {
    const camera = project.reading?.camera;
    const points = at.lines.flat();
    if (!camera || !points.length) return null;
    const middle = [0, 1, 2].map((k) => points.reduce((s, p) => s + p[k], 0) / points.length);
    return Math.hypot(...middle.map((v, k) => v - camera.position[k]));
  });
  async function keep(change: Change) {
    if (await project.keep(change)) parts.clear();
  }
</script>

<Heading>{partName(at.part)} <small>of {proxy?.name}</small></Heading>
{#if face}
  <NumberField
    label="Push it out"
    unit="m"
    length
    value={null}
    ontry={(v) => v && project.try({ verb: 'PushFace', proxy: at.proxy, face: face!, by_m: v })}
    onkeep={(v) => keep({ verb: 'PushFace', proxy: at.proxy, face: face!, by_m: v })}
  />
  <NumberField
    label="Set a face in, by"
    unit="m"
    min={0}
    length
    value={null}
    ontry={(v) =>
      v > 0 && project.try({ verb: 'SetIn', proxy: at.proxy, face: face!, margin_m: v })}
    onkeep={(v) => keep({ verb: 'SetIn', proxy: at.proxy, face: face!, margin_m: v })}
  />
{/if}
<NumberField
  label="Distance, held in the picture"
  unit="m"
  min={0.01}
  step={0.2}
  length
  value={distance}
  ontry={(v) =>
    project.try({ verb: 'Reach', proxy: at.proxy, part: at.part, to_m: v, catch: false })}
  onkeep={(v) => keep({ verb: 'Reach', proxy: at.proxy, part: at.part, to_m: v, catch: false })}
/>
<div class="mt-1 grid grid-cols-2 gap-1">
  {#if face}
    <Press tight aria-pressed={tool.name === 'set in'} onclick={() => tool.choose('set in', true)}
      >Trace a face into it</Press
    >
    <Press tight aria-pressed={tool.name === 'cut'} onclick={() => tool.choose('cut', true)}
      >Cut along a line</Press
    >
    <Press tight onclick={() => keep({ verb: 'DropFaces', proxy: at.proxy, faces: [face!] })}
      >Take it off</Press
    >
  {/if}
  {#if weld}
    <Press tight onclick={() => keep({ verb: 'Unweld', weld: weld!.id })}>Let the weld go</Press>
  {/if}
  <Press tight onclick={() => parts.clear()}>The whole proxy</Press>
</div>
