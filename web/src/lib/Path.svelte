<script lang="ts">
  /** Project, the six stations with their state, undo and redo. */
  import { Modal } from 'flowbite-svelte';
  import { api, type Step } from './api/client';
  import { desk, STATIONS, type Station } from './desk.svelte';
  import Lamp from './Lamp.svelte';
  import { project } from './project.svelte';
  import { route } from './route.svelte';

  const TITLES: Record<Station, string> = {
    still: 'Still',
    sight: 'Sight',
    block: 'Block',
    cast: 'Cast',
    move: 'Move',
    deliver: 'Deliver',
  };
  const scene = $derived(project.scene!);
  const lit = $derived.by<Record<Station, 'dark' | 'part' | 'lit'>>(() => {
    const r = project.reading;
    const stood = (scene.proxies ?? []).length > 0;
    const keys = scene.move?.keys?.length ?? 0;
    const sighted = r?.settled && r.verdict !== 'Rough' && r.verdict !== 'Open';
    return {
      still: 'lit',
      sight: sighted ? 'lit' : (scene.sighting?.traces?.length ?? 0) ? 'part' : 'dark',
      block: stood ? 'lit' : 'dark',
      cast: stood ? 'lit' : 'dark',
      move: keys > 1 ? 'lit' : keys ? 'part' : 'dark',
      deliver: 'dark',
    };
  });

  let steps = $state.raw<Step[]>([]);
  $effect(() => {
    void project.state?.revision;
    if (!desk.history || !project.state) return;
    const path = { path: { id: project.state.id } };
    void api.GET('/api/projects/{id}/history', { params: path }).then(({ data }) => {
      if (data) steps = [...data].reverse();
    });
  });
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

<header class="flex h-[44px] shrink-0 items-center gap-3 border-b border-line bg-raised px-3.5">
  <button aria-label="To the projects" title="To the projects" onclick={() => route.go(null)}>
    <img src="/lantern.svg" alt="" width="22" height="22" />
  </button>
  {#if naming}
    <!-- svelte-ignore a11y_autofocus -->
    <input
      autofocus
      class="h-7 w-44 rounded-md border border-line bg-field px-2 text-[13px]"
      aria-label="Project name"
      value={scene.name}
      maxlength="80"
      onblur={(e) => rename(e.currentTarget.value)}
      onkeydown={(e) => {
        if (e.key === 'Enter') rename(e.currentTarget.value);
        if (e.key === 'Escape') naming = false;
      }}
    />
  {:else}
    <h1 class="max-w-52 truncate font-semibold">
      <button class="max-w-full truncate" title="Rename" onclick={() => (naming = true)}
        >{scene.name}</button
      >
    </h1>
  {/if}
  <span class="text-[12px] whitespace-nowrap text-quiet">kept, {kept}</span>

  <nav class="mx-auto flex items-center" aria-label="Stations">
    {#each STATIONS as s, i (s)}
      {#if i}<span class="mx-1.5 h-px w-6 bg-line"></span>{/if}
      <a
        class="flex items-center gap-2 rounded-md px-2 py-1.5 whitespace-nowrap hover:bg-hover"
        class:text-lantern={desk.station === s}
        class:font-semibold={desk.station === s}
        class:text-quiet={desk.station !== s && lit[s] === 'dark'}
        href="/project/{route.project}/{s}"
        title="Alt {i + 1}"
        aria-current={desk.station === s ? 'page' : undefined}
        onclick={(e) => {
          if (e.metaKey || e.ctrlKey) return;
          e.preventDefault();
          route.go(route.project, s);
        }}
      >
        <Lamp lit={desk.station === s && lit[s] !== 'lit' ? 'part' : lit[s]} />
        {TITLES[s]}
      </a>
    {/each}
  </nav>

  <button
    class="px-1.5 text-lg leading-none disabled:opacity-30"
    aria-label="Undo"
    title={project.state?.undo ? `Undo: ${project.state.undo}` : 'Nothing to undo'}
    disabled={!project.state?.undo}
    onclick={project.undo}>↶</button
  >
  <button
    class="px-1.5 text-lg leading-none disabled:opacity-30"
    aria-label="Redo"
    title={project.state?.redo ? `Redo: ${project.state.redo}` : 'Nothing to redo'}
    disabled={!project.state?.redo}
    onclick={project.redo}>↷</button
  >
  <button class="act" onclick={() => (desk.history = !desk.history)}>History</button>
</header>

<Modal
  title="History"
  bind:open={desk.history}
  size="sm"
  class="!bg-raised"
  headerClass="!p-3.5 !text-ink"
  bodyClass="!p-2"
>
  <ol class="max-h-[60vh] overflow-y-auto">
    {#each steps as s (s.number)}
      <li>
        <button
          class="flex w-full justify-between rounded-md px-3 py-1.5 text-left hover:bg-hover"
          class:text-quiet={!s.on_the_way}
          class:text-lantern={s.number === project.state?.revision}
          aria-current={s.number === project.state?.revision ? 'step' : undefined}
          onclick={() => project.goTo(s.number)}
        >
          <span>{s.title}</span>
          <span class="num text-[12px] text-quiet"
            >{new Date(s.made_at).toLocaleTimeString([], { hour12: false })}</span
          >
        </button>
      </li>
    {/each}
  </ol>
</Modal>
