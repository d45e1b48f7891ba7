<script lang="ts">
  import { onMount } from 'svelte';
  import { Pane, PaneGroup, PaneResizer } from 'paneforge';
  import { desk } from './lib/desk.svelte';
  import { listen } from './lib/keys';
  import Notice from './lib/Notice.svelte';
  import Path from './lib/Path.svelte';
  import { project } from './lib/project.svelte';
  import Readings from './lib/Readings.svelte';
  import { route } from './lib/route.svelte';
  import TimeStrip from './stations/move/TimeStrip.svelte';
  import Projects from './stations/still/Projects.svelte';
  import StillTray from './stations/still/Tray.svelte';
  import SightTray from './stations/sight/Tray.svelte';
  import BlockTray from './stations/block/Tray.svelte';
  import CastTray from './stations/cast/Tray.svelte';
  import MoveTray from './stations/move/Tray.svelte';
  import DeliverTray from './stations/deliver/Tray.svelte';
  import LensView from './views/LensView.svelte';
  import WalkView from './views/WalkView.svelte';

  const trays = {
    still: StillTray,
    sight: SightTray,
    block: BlockTray,
    cast: CastTray,
    move: MoveTray,
    deliver: DeliverTray,
  };
  const Tray = $derived(trays[desk.station]);

  route.read();
  $effect(() => {
    const id = route.project;
    if (id === null) project.close();
    else {
      desk.open(id);
      void project.open(id).catch(() => project.say('The server cannot be reached.', 'warning'));
    }
  });
  $effect(() => {
    document.title = project.scene ? `${project.scene.name} · Jade Lantern` : 'Jade Lantern';
  });
  onMount(() => {
    document.documentElement.classList.add('dark');
    const stop = listen();
    const keep = () => desk.keep();
    window.addEventListener('popstate', route.read);
    window.addEventListener('pagehide', keep);
    // no picture, link or text is ever dragged out of the page: a drag is a hand's work
    const still = (e: Event) => e.preventDefault();
    window.addEventListener('dragstart', still);
    const now = setInterval(keep, 2000);
    return () => {
      stop();
      clearInterval(now);
      window.removeEventListener('popstate', route.read);
      window.removeEventListener('pagehide', keep);
      window.removeEventListener('dragstart', still);
    };
  });
</script>

{#if route.project === null}
  <Projects />
{:else if project.missing}
  <main class="grid h-full place-content-center gap-3 text-center">
    <h1>This project is not here (any more).</h1>
    <button class="act main" onclick={() => route.go(null)}>To the projects</button>
  </main>
{:else if project.damage}
  {@const { message, readable } = project.damage}
  <main class="grid h-full place-content-center gap-3 text-center">
    <h1 class="text-[16px] font-semibold">This project is damaged</h1>
    <p class="max-w-[520px]">{message}</p>
    {#if readable !== null}
      <button class="act main" onclick={() => void project.goBack()}
        >Go back to step {readable}</button
      >
    {/if}
    <button class="act" onclick={() => route.go(null)}>To the projects</button>
  </main>
{:else if project.scene}
  <div class="flex h-full flex-col">
    <Path />
    <main class="flex min-h-0 flex-1" data-revision={project.state?.revision}>
      <PaneGroup direction="horizontal" autoSaveId="views" class="min-w-0 flex-1">
        <Pane defaultSize={64} minSize={0} collapsible>
          {#key project.scene.plate.digest}
            <LensView />
          {/key}
        </Pane>
        <PaneResizer
          class="grid w-[5px] place-content-center bg-ground hover:bg-hover"
          aria-label="Divider between the views"
        >
          <span class="h-9 w-[3px] rounded bg-line"></span>
        </PaneResizer>
        <Pane defaultSize={36} minSize={0} collapsible>
          {#key project.scene.plate.digest}
            <WalkView />
          {/key}
        </Pane>
      </PaneGroup>
      <aside
        class="w-[314px] shrink-0 overflow-y-auto border-l border-line bg-raised p-3.5"
        aria-label="Tray"
      >
        <Tray />
      </aside>
    </main>
    {#if desk.station === 'move'}
      <TimeStrip />
    {:else}
      <Readings />
    {/if}
  </div>
{:else}
  <main class="grid h-full place-content-center text-quiet"><h1>Opening…</h1></main>
{/if}
<Notice />
