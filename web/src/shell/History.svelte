<script lang="ts">
  /** Every step of the project, the newest first: by station and time, and searched. It stands beside
   *  the picture, which can be looked at meanwhile. */
  import { Drawer, Input, Timeline, TimelineItem } from 'flowbite-svelte';
  import { api, type Step } from '../lib/api/client';
  import { project } from '../project/project.svelte';
  import { windows } from '../project/windows.svelte';
  import { grouped } from './history';
  import Press from '../lib/Press.svelte';

  let steps = $state.raw<Step[]>([]);
  let wanted = $state('');
  $effect(() => {
    void project.state?.revision;
    if (!windows.history || !project.state) return;
    const path = { path: { id: project.state.id } };
    void api.GET('/api/projects/{id}/history', { params: path }).then(({ data }) => {
      if (data) steps = [...data].reverse();
    });
  });
  const MOST = 200; // steps at a time: of thousands the last are wanted
  let most = $state(MOST);
  const groups = $derived(grouped(wanted ? steps : steps.slice(0, most), wanted));
  const time = (at: string) => new Date(at).toLocaleTimeString([], { hour12: false });
  const day = (at: string) =>
    new Date(at).toDateString() === new Date().toDateString()
      ? ''
      : `${new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short' })} `;
</script>

<Drawer
  bind:open={windows.history}
  modal={false}
  placement="right"
  aria-labelledby="history"
  transitionParams={{ duration: 90 }}
  onkeydown={(e) => e.key === 'Escape' && (windows.history = false)}
>
  <h2 id="history" class="mb-3 text-[16px] font-semibold">History</h2>
  <Input
    class="mb-2 w-full"
    type="search"
    placeholder="Search: a verb, a name, a station"
    aria-label="Search the history"
    bind:value={wanted}
  />
  <div class="min-h-0 flex-1 overflow-y-auto">
    {#each groups as g (g.key)}
      <h3 class="sticky top-0 flex justify-between bg-raised pt-2 pb-1 text-[12px] text-quiet">
        <span class="font-semibold">{g.station}</span>
        <span class="num"
          >{day(g.to)}{time(g.from) === time(g.to)
            ? time(g.to)
            : `${time(g.from)} to ${time(g.to)}`}</span
        >
      </h3>
      <Timeline class="border-line" aria-label="{g.station}, {time(g.from)}">
        {#each g.steps as s (s.number)}
          <TimelineItem title="" date="">
            <Press
              kind="bare"
              class={[
                'flex w-full justify-between gap-3 rounded-md px-2 py-1 text-left hover:bg-hover',
                !s.on_the_way && 'text-quiet',
                s.number === project.state?.revision && 'text-lantern',
              ]}
              aria-current={s.number === project.state?.revision ? 'step' : undefined}
              title={s.on_the_way ? undefined : 'On a branch that was left'}
              onclick={() => project.goTo(s.number)}
            >
              <span class="truncate">{s.title}</span>
              <span class="num text-[12px] text-quiet">{time(s.made_at)}</span>
            </Press>
          </TimelineItem>
        {/each}
      </Timeline>
    {:else}
      <p class="py-2 text-quiet">No step has “{wanted}” in it.</p>
    {/each}
    {#if steps.length > most}
      <Press class="mt-2 w-full" onclick={() => (most += MOST)}>Earlier steps</Press>
    {/if}
  </div>
</Drawer>
