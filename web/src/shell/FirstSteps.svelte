<script lang="ts">
  /** A quiet tour of five marks, once: with the first empty project, and whenever it is asked for. */
  import { project } from '../project/project.svelte';
  import { route } from '../project/route.svelte';
  import { windows } from '../project/windows.svelte';
  import Press from '../lib/Press.svelte';
  import { FIRST_STEPS } from './steps';

  const PLACE = 'jade-lantern.first-steps';
  const empty = $derived(
    !project.scene?.sighting.traces?.length &&
      !project.scene?.sighting.by_eye &&
      !project.scene?.proxies.length,
  );
  let done = $state(localStorage.getItem(PLACE) === 'done');
  let at = $state(0);
  const shown = $derived(windows.steps || (!done && empty));
  const step = $derived(FIRST_STEPS[at]);

  function close() {
    done = true;
    windows.steps = false;
    at = 0;
    localStorage.setItem(PLACE, 'done');
  }
  function go(to: number) {
    if (to >= FIRST_STEPS.length) return close();
    at = Math.max(to, 0);
    route.go(route.project, FIRST_STEPS[at].station);
  }
</script>

{#if shown}
  <aside aria-label="First steps" class="mb-3 rounded-md border border-line bg-field p-3">
    <p class="mb-1 flex justify-between font-semibold">
      First steps <span class="num text-[12px] font-normal text-quiet"
        >{at + 1} of {FIRST_STEPS.length}</span
      >
    </p>
    <p>{step.words}</p>
    <div class="mt-2 flex justify-between">
      <Press kind="bare" class="text-quiet underline hover:text-ink" onclick={close}
        >No more of this</Press
      >
      <span class="flex gap-1.5">
        {#if at}<Press tight onclick={() => go(at - 1)}>Back</Press>{/if}
        <Press tight main onclick={() => go(at + 1)}
          >{at + 1 < FIRST_STEPS.length ? 'Next step' : 'Done'}</Press
        >
      </span>
    </div>
  </aside>
{/if}
