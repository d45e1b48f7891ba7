<script lang="ts">
  /** How far a delivery is, and where it is fetched. */
  import Press from '../lib/Press.svelte';
  import Progress from '../lib/Progress.svelte';
  import type { Delivery } from './delivery.svelte';

  let { of, making, fetch }: { of: Delivery; making: string; fetch: string } = $props();
  const last = $derived(of.last);
</script>

{#if of.trouble}<p class="mt-1 text-warning" role="status">{of.trouble}</p>{/if}
{#if last && of.making}
  <div class="mt-1 flex items-center gap-2" role="status">
    <Progress label={making} class="flex-1" done={last.done} all={last.total} />
    <span class="num text-[12px] text-quiet">{last.done} of {last.total}</span>
    <Press tight onclick={() => of.cancel()}>Stop</Press>
  </div>
{:else if last?.state === 'done'}
  <p class="mt-1 text-[12px]">
    <a class="text-jade underline" href={`/api/deliveries/${last.id}/file`}>{fetch}</a>
  </p>
{:else if last?.state === 'failed'}
  <p class="mt-1 text-[12px] text-warning">{last.message}</p>
{/if}
