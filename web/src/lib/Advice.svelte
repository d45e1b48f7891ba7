<script lang="ts">
  /** The library's alert as a quiet note: what to do next. It interrupts nobody. */
  import { Alert } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  let { class: more = '', children }: { class?: string; children: Snippet } = $props();
</script>

<Alert role="note" class={more} params={{ duration: 0 }}>{@render children()}</Alert>
