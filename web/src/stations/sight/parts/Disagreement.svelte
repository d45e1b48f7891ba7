<script lang="ts">
  /** How far each heading is trusted, and what each two of them say without the third. */
  import { Range, Table } from 'flowbite-svelte';
  import { checks } from '../checks.svelte';
  import { project } from '../../../project/project.svelte';
  import { colourOf, HEADINGS, nameOf } from '../../../project/headings';
  import { plain, signed } from '../../../lib/words';
  import { proposing } from '../proposal.svelte';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const locked = $derived(sighting.locked ?? false);
  const trust = (h: string) => sighting.trust?.find((t) => t.heading === h)?.trust ?? 1;
</script>

{#each HEADINGS as h (h)}
  <label class="flex items-center gap-2 py-0.5">
    <span class="w-14" style="color: {colourOf(h)}">{nameOf(h)}</span>
    <Range
      class="flex-1"
      min="0"
      max="100"
      step="5"
      aria-label="Trust in {nameOf(h)}"
      disabled={locked}
      value={trust(h) * 100}
      oninput={(e) =>
        project.try({
          verb: 'TrustHeading',
          heading: h,
          trust: Number(e.currentTarget.value) / 100,
        })}
      onchange={(e) =>
        project.keep({
          verb: 'TrustHeading',
          heading: h,
          trust: Number(e.currentTarget.value) / 100,
        })}
    />
    <span class="num w-12 text-right text-[12px]">{Math.round(trust(h) * 100)} %</span>
  </label>
{/each}
<Press
  class="mt-1.5 w-full"
  aria-pressed={checks.opinions}
  onclick={() => (checks.opinions = !checks.opinions)}>Show what each two say</Press
>
{#if checks.opinions}
  <Table class="num mt-1.5 w-full text-[12px]">
    <tbody>
      {#each proposing.opinions as o (o.headings.join())}
        <tr>
          <td class="text-quiet">{nameOf(o.headings[0])} + {nameOf(o.headings[1])}</td>
          <td class="text-right">{plain(o.focal_35mm, 1)} mm</td>
          <td class="text-right">tilt {signed(o.tilt_deg)}°</td>
        </tr>
      {:else}
        <tr><td class="text-quiet">No two headings carry a camera by themselves yet.</td></tr>
      {/each}
    </tbody>
  </Table>
{/if}
