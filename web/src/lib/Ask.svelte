<script lang="ts">
  /** A question before what cannot be undone. */
  import Press from './Press.svelte';
  import Sheet from './Sheet.svelte';

  let {
    title,
    words,
    yes,
    open = $bindable(),
    onyes,
  }: { title: string; words: string; yes: string; open: boolean; onyes: () => void } = $props();
</script>

<Sheet {title} bind:open>
  <p>{words}</p>
  <div class="mt-3 grid grid-cols-2 gap-2">
    <Press onclick={() => (open = false)}>Keep it</Press>
    <Press
      class="border-warning text-warning hover:text-warning"
      onclick={() => {
        open = false;
        onyes();
      }}>{yes}</Press
    >
  </div>
</Sheet>
