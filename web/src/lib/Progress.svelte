<script lang="ts">
  /** The library's bar with the role and the numbers that screen readers ask for. */
  import { Progressbar } from 'flowbite-svelte';

  let {
    label,
    done,
    all = 1,
    class: more = '',
  }: { label: string; done: number; all?: number; class?: string } = $props();
  const percent = $derived(all > 0 ? Math.min(Math.max((100 * done) / all, 0), 100) : 0);
</script>

<Progressbar
  role="progressbar"
  aria-label={label}
  aria-valuemin={0}
  aria-valuemax={100}
  aria-valuenow={Math.round(percent)}
  progress={percent}
  size="h-1.5"
  class={more}
/>
