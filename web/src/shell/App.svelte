<script lang="ts">
  import { ThemeProvider } from 'flowbite-svelte';
  import { onMount } from 'svelte';
  import { desk } from '../lib/desk.svelte';
  import Notice from '../project/Notice.svelte';
  import { project } from '../project/project.svelte';
  import { route } from '../project/route.svelte';
  import { STATIONS } from '../stations';
  import Projects from '../stations/still/Projects.svelte';
  import Views from '../views/Views.svelte';
  import { listen } from './keys';
  import FirstSteps from './FirstSteps.svelte';
  import Keys from './Keys.svelte';
  import Palette from './Palette.svelte';
  import Path from './Path.svelte';
  import Readings from './Readings.svelte';
  import Press from '../lib/Press.svelte';
  import { theme } from '../lib/theme';
  import { tellOf } from '../lib/tip';
  import Tips from '../lib/Tips.svelte';
  import { everywhere } from './verbs';

  const station = $derived(STATIONS.find((s) => s.name === route.station) ?? STATIONS[0]);

  tellOf(() => [...station.verbs(), ...everywhere(STATIONS)]);

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

<ThemeProvider {theme}>
  {#if route.project === null}
    <Projects />
  {:else if project.missing}
    <main class="grid h-full place-content-center gap-3 text-center">
      <h1>This project is not here (any more).</h1>
      <Press main onclick={() => route.go(null)}>To the projects</Press>
    </main>
  {:else if project.damage}
    {@const { message, readable } = project.damage}
    <main class="grid h-full place-content-center gap-3 text-center">
      <h1 class="text-[16px] font-semibold">This project is damaged</h1>
      <p class="max-w-[520px]">{message}</p>
      {#if readable !== null}
        <Press main onclick={() => void project.goBack()}>Go back to step {readable}</Press>
      {/if}
      <Press onclick={() => route.go(null)}>To the projects</Press>
    </main>
  {:else if project.scene}
    <div class="flex h-full flex-col">
      <Path stations={STATIONS} here={station} />
      <main class="flex min-h-0 flex-1" data-revision={project.state?.revision}>
        <Views {station}>
          {#snippet tray()}<FirstSteps /><station.Tray />{/snippet}
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
  {#if project.scene}
    <Keys stations={STATIONS} here={station} />
    <Palette stations={STATIONS} here={station} />
  {/if}
  <Notice />
  <Tips />
</ThemeProvider>
