<script lang="ts">
  /** Other cameras over the picture: what each two headings say alone, and a kept sighting. */
  import { checks } from './checks.svelte';
  import { project } from '../../project/project.svelte';
  import { colourOf, nameOf } from '../../project/headings';
  import { plain } from '../../lib/words';
  import {
    acrossPlate,
    project as seen,
    toView,
    type Point,
    type Window2D,
  } from '../../views/camera';
  import Stroke from '../../views/marks/Stroke.svelte';
  import type { CameraReading } from '../../lib/api/client';
  import { proposing } from './proposal.svelte';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);

  const across = (h: readonly number[]) => acrossPlate(win, plate.width, h);
  const said = $derived(
    checks.opinions
      ? proposing.opinions.flatMap((o) => {
          const line = across(o.horizon);
          return line ? [{ ...o, line }] : [];
        })
      : [],
  );
  const other = $derived(
    checks.compared ? (project.state?.kept.get(checks.compared) ?? null) : null,
  );
  const otherLine = $derived(other?.horizon ? across(other.horizon) : null);

  /** Lines of a ground grid under a camera, a metre (or an eye height) apart. */
  function ground(c: CameraReading): string {
    const ahead = c.rotation[2];
    const [x0, z0] = [
      Math.round(c.position[0] - ahead[0] * 6),
      Math.round(c.position[2] - ahead[2] * 6),
    ];
    const out: string[] = [];
    const run = (a: number[], b: number[]) => {
      let last: Point | null = null;
      for (let i = 0; i <= 24; i++) {
        const p = seen(
          c,
          [0, 1, 2].map((k) => a[k] + ((b[k] - a[k]) * i) / 24),
        );
        const at = p && toView(win, p);
        if (at && last) out.push(`M${last[0]} ${last[1]}L${at[0]} ${at[1]}`);
        last = at;
      }
    };
    for (let i = -6; i <= 6; i++) {
      run([x0 + i, 0, z0 - 6], [x0 + i, 0, z0 + 6]);
      run([x0 - 6, 0, z0 + i], [x0 + 6, 0, z0 + i]);
    }
    return out.join('');
  }
</script>

{#each said as o, i (o.headings.join())}
  {@const third = (['across', 'up', 'away'] as const).find((h) => !o.headings.includes(h))!}
  <Stroke points={o.line} colour={colourOf(o.headings[0])} width={2} under={0} />
  <Stroke points={o.line} colour={colourOf(o.headings[1])} width={2} dash="10 10" under={0} />
  <text
    x={Math.max(o.line[0][0], 0) + 8}
    y={o.line[0][1] - 8 - 16 * i}
    class="note num"
    fill="var(--color-ink)">without {nameOf(third)}: {plain(o.focal_35mm, 1)} mm</text
  >
{/each}
{#if other?.camera}
  <path
    d={ground(other.camera)}
    stroke="var(--color-ink)"
    stroke-width="1"
    opacity="0.5"
    fill="none"
  />
  {#if otherLine}
    <Stroke points={otherLine} colour="var(--color-ink)" dash="14 4 2 4" under={0} />
  {/if}
{/if}
