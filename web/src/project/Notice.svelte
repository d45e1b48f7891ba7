<script lang="ts">
  import { project } from './project.svelte';
  import { Spinner, Toast } from 'flowbite-svelte';
  import Press from '../lib/Press.svelte';

  const params = { duration: 120, y: 8 };
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

<div aria-live="polite" role="status" class="fixed bottom-28 left-4 z-40 grid gap-2">
  {#if project.busySince !== null}
    <Toast role="presentation" dismissable={false} class="border-line" {params}>
      <Spinner size="4" />
      <span>At work{seconds >= 2 ? `, ${seconds} s` : ''}…</span>
    </Toast>
  {/if}
  {#if notice}
    <Toast
      role="presentation"
      closeAriaLabel="Dismiss"
      class={notice.kind === 'warning' ? 'border-warning' : 'border-line'}
      bind:toastStatus={() => true, () => (project.notice = null)}
      {params}
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
        <Press class="shrink-0" does="undo" onclick={() => void project.undo()}>Undo</Press>
      {/if}
    </Toast>
  {/if}
</div>
