<script lang="ts">
  /** Project, the seven stations with their state, undo and redo. */
  import Lamp from '../lib/Lamp.svelte';
  import { project } from '../project/project.svelte';
  import { route } from '../project/route.svelte';
  import History from './History.svelte';
  import { windows } from '../project/windows.svelte';
  import type { Station } from '../views/station';
  import { tip } from '../lib/tip';
  import Press from '../lib/Press.svelte';
  import Words from '../lib/Words.svelte';

  let { stations, here }: { stations: Station[]; here: Station } = $props();
  const scene = $derived(project.scene!);

  let naming = $state(false);
  function rename(name: string) {
    naming = false;
    if (name.trim() && name.trim() !== scene.name)
      void project.keep({ verb: 'RenameProject', name: name.trim().slice(0, 80) });
  }
  const kept = $derived(
    new Date(project.state!.kept_at).toLocaleTimeString([], {
      hour: '2-digit',
      minute: '2-digit',
      hour12: false,
    }),
  );
</script>

<header
  class="flex h-[44px] shrink-0 items-center gap-3 border-b border-line bg-raised px-3.5 max-[900px]:gap-1.5"
>
  <Press
    kind="bare"
    aria-label="To the projects"
    title="To the projects"
    onclick={() => route.go(null)}
  >
    <img src="/lantern.svg" alt="" width="22" height="22" />
  </Press>
  {#if naming}
    <Words
      class="w-44!"
      autofocus
      aria-label="Project name"
      value={scene.name}
      onkeep={rename}
      onleave={() => (naming = false)}
    />
  {:else}
    <h1 class="max-w-52 min-w-0 truncate font-semibold">
      <Press
        kind="bare"
        class="max-w-full block truncate"
        title="Rename"
        onclick={() => (naming = true)}>{scene.name}</Press
      >
    </h1>
  {/if}
  <span class="text-[12px] whitespace-nowrap text-quiet max-[900px]:hidden">kept, {kept}</span>

  <nav class="mx-auto flex items-center" aria-label="Stations">
    {#each stations as s, i (s.name)}
      {@const lit = s.lit()}
      {#if i}<span class="mx-1.5 h-px w-6 bg-line max-[900px]:hidden"></span>{/if}
      <a
        class="flex items-center gap-2 rounded-md px-2 py-1.5 whitespace-nowrap hover:bg-hover max-[900px]:gap-1 max-[900px]:px-1"
        class:text-lantern={here === s}
        class:font-semibold={here === s}
        class:text-quiet={here !== s && lit === 'dark'}
        href="/project/{route.project}/{s.name}"
        {...tip(null, `to ${s.title}`)}
        aria-current={here === s ? 'page' : undefined}
        onclick={(e) => {
          if (e.metaKey || e.ctrlKey) return;
          e.preventDefault();
          route.go(route.project, s.name);
        }}
      >
        <Lamp lit={here === s && lit !== 'lit' ? 'part' : lit} />
        {s.title}
      </a>
    {/each}
  </nav>

  <Press
    kind="bare"
    class="px-1.5 text-lg leading-none disabled:opacity-30"
    aria-label="Undo"
    title={project.state?.undo ? `Undo: ${project.state.undo}` : 'Nothing to undo'}
    does="undo"
    disabled={!project.state?.undo}
    onclick={project.undo}>↶</Press
  >
  <Press
    kind="bare"
    class="px-1.5 text-lg leading-none disabled:opacity-30"
    aria-label="Redo"
    title={project.state?.redo ? `Redo: ${project.state.redo}` : 'Nothing to redo'}
    does="redo"
    disabled={!project.state?.redo}
    onclick={project.redo}>↷</Press
  >
  <Press onclick={() => (windows.history = !windows.history)}>History</Press>
</header>

<History />
