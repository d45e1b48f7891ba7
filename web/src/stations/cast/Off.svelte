<script lang="ts">
  /** How far a placed photograph is from what the still throws there: as numbers and as a map. */
  import { api, type Lantern, type OffOut } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Sheet from '../../lib/Sheet.svelte';
  import { project } from '../../project/project.svelte';

  let { lantern }: { lantern: Lantern } = $props();
  let open = $state(false);
  let working = $state(false);
  let found = $state.raw<OffOut | null>(null);

  async function measure() {
    const { id, revision } = project.state!;
    working = true;
    const { data, error } = await api
      .GET('/api/projects/{id}/off/{lantern}', {
        params: { path: { id, lantern: lantern.id }, query: { revision } },
      })
      .catch(() => ({ data: undefined, error: { message: 'The server cannot be reached.' } }));
    working = false;
    if (data) [found, open] = [data, true];
    else project.say((error as { message?: string })?.message ?? 'That did not work.');
  }
</script>

<Press
  tight
  class="mt-1 w-full"
  disabled={working}
  title="What the still throws there, seen from where this was taken, against it"
  onclick={measure}>{working ? 'Comparing …' : 'How far it is off…'}</Press
>
<Sheet title="How far {lantern.name} is off" bind:open size="xl">
  {#if found}
    <img
      class="block max-h-[60vh] w-full object-contain"
      src={found.picture}
      alt="{lantern.name}, tinted by how far it is off"
    />
    <p class="mt-2 flex items-center gap-2 text-[12px] text-quiet">
      none <span class="off-ramp h-2 w-40 rounded-sm"></span> 8 px and more; yellow is 2 px, grey could
      not be compared
    </p>
    <p class="mt-1">
      Half of what both show lies within <b class="num">{found.px.toFixed(1)} px</b>, nine tenths
      within <b class="num">{found.most.toFixed(1)} px</b>; {Math.round(100 * found.share)} % of it could
      be compared. Where one thing is off and its surroundings are not, that thing’s proxy is; where all
      of it is, the place is.
    </p>
  {/if}
</Sheet>

<style>
  .off-ramp {
    background: linear-gradient(
      to right,
      var(--color-jade),
      var(--color-lantern) 25%,
      var(--color-warning)
    );
  }
</style>
