<script lang="ts">
  import { project } from './project.svelte';
  import { Spinner } from 'flowbite-svelte';
  import Press from '../lib/Press.svelte';

  const notice = $derived(project.notice);
  let seconds = $state(0);
  $effect(() => {
    const since = project.busySince;
    if (since === null) return;
    const count = () => (seconds = Math.floor((Date.now() - since) / 1000));
    count();
    const t = setInterval(count, 250);
    return () => clearInterval(t);
  });
  $effect(() => {
    if (!notice || notice.again) return;
    const t = setTimeout(() => {
      if (project.notice === notice) project.notice = null;
    }, 9000);
    return () => clearTimeout(t);
  });
</script>

<div aria-live="polite" role="status" class="fixed bottom-28 left-4 z-40 max-w-[520px]">
  {#if project.busySince !== null}
    <div
      class="mb-2 flex w-fit items-center gap-3 rounded-lg border border-line bg-field px-3.5 py-2.5 shadow-xl shadow-black/50"
    >
      <Spinner size="4" />
      <span>At work{seconds >= 2 ? `, ${seconds} s` : ''}…</span>
    </div>
  {/if}
  {#if notice}
    <div
      class="flex items-center gap-3 rounded-lg border bg-field px-3.5 py-2.5 shadow-xl shadow-black/50"
      class:border-warning={notice.kind === 'warning'}
      class:border-line={notice.kind === 'plain'}
    >
      <span>{notice.text}</span>
      {#if notice.again}
        <Press
          class="shrink-0"
          onclick={() => {
            const again = notice.again;
            project.notice = null;
            again?.();
          }}>Make it again</Press
        >
      {/if}
      {#if notice.undoes !== undefined && notice.undoes === project.state?.revision}
        <Press class="shrink-0" onclick={() => void project.undo()}>Undo</Press>
      {/if}
      <Press
        kind="bare"
        class="px-1 text-quiet"
        aria-label="Dismiss"
        onclick={() => (project.notice = null)}>✕</Press
      >
    </div>
  {/if}
</div>
