<script lang="ts">
  import { onMount } from 'svelte';
  import { desk } from '../lib/desk.svelte';
  import Notice from '../project/Notice.svelte';
  import { project } from '../project/project.svelte';
  import { route } from '../project/route.svelte';
  import { STATIONS } from '../stations';
  import Projects from '../stations/still/Projects.svelte';
  import Views from '../views/Views.svelte';
  import { listen } from './keys';
  import Keys from './Keys.svelte';
  import Path from './Path.svelte';
  import Readings from './Readings.svelte';

  const station = $derived(STATIONS.find((s) => s.name === route.station) ?? STATIONS[0]);

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
    const stop = listen(STATIONS, () => station);
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
    <Path stations={STATIONS} here={station} />
    <main class="flex min-h-0 flex-1" data-revision={project.state?.revision}>
      <Views {station}>
        {#snippet tray()}<station.Tray />{/snippet}
      </Views>
    </main>
    {#if station.Strip}
      <station.Strip />
    {:else}
      <Readings />
    {/if}
  </div>
{:else}
  <main class="grid h-full place-content-center text-quiet"><h1>Opening…</h1></main>
{/if}
{#if project.scene}<Keys here={station} />{/if}
<Notice />
