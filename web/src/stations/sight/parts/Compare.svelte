<script lang="ts">
  /** Sightings put by, shown over the picture beside the one in use. */
  import { checks } from '../checks.svelte';
  import { project } from '../../../project/project.svelte';
  import { plain, signed } from '../../../lib/words';
  import Press from '../../../lib/Press.svelte';

  const kept = $derived(project.scene?.kept_sightings ?? []);
  const locked = $derived(project.scene?.sighting?.locked ?? false);
  const read = (id: string) => project.state?.kept.get(id);
  const name = $derived(`Sighting ${kept.length + 1}`);
</script>

{#each kept as k (k.id)}
  {@const r = read(k.id)}
  <div class="flex items-center gap-1 py-0.5">
    <Press
      kind="bare"
      class={[
        'min-w-0 flex-1 truncate text-left hover:text-lantern',
        checks.compared === k.id && 'text-lantern',
      ]}
      aria-pressed={checks.compared === k.id}
      aria-label="Show {k.name} over the picture"
      onclick={() => (checks.compared = checks.compared === k.id ? null : k.id)}>{k.name}</Press
    >
    <span class="num text-[12px] text-quiet"
      >{r?.focal_35mm
        ? `${plain(r.focal_35mm.value, 1)} mm ${signed(r.tilt_deg!.value)}°`
        : 'open'}</span
    >
    <Press
      class="min-h-6 px-2 text-[12px]"
      disabled={locked}
      aria-label="Go on from {k.name}"
      onclick={() => project.keep({ verb: 'UseSighting', kept: k.id })}>Use</Press
    >
    <Press
      kind="bare"
      class="px-1 text-quiet hover:text-warning"
      aria-label="Drop {k.name}"
      onclick={() => {
        if (checks.compared === k.id) checks.compared = null;
        void project.keep({ verb: 'DropSighting', kept: k.id });
      }}>✕</Press
    >
  </div>
{/each}
<Press class="mt-1 w-full" onclick={() => project.keep({ verb: 'KeepSighting', name })}
  >Keep this sighting</Press
>
