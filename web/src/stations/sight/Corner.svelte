<script lang="ts">
  /** What stands in a corner of the lens view, if it is wanted. */
  import { checks } from './checks.svelte';
  import Overview from './Overview.svelte';
</script>

{#if checks.overview}<Overview />{/if}
