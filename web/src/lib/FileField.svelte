<script lang="ts">
  /** A field for a file that a button opens. */
  import { Fileupload } from 'flowbite-svelte';

  let {
    label,
    accept,
    element = $bindable(),
    take,
  }: {
    label: string;
    accept: string;
    element: HTMLInputElement | undefined;
    take: (file: File) => void;
  } = $props();
</script>

<Fileupload
  bind:elementRef={element}
  class="hidden"
  aria-label={label}
  {accept}
  onchange={(e) => {
    const field = e.currentTarget as HTMLInputElement;
    const file = field.files?.[0];
    if (file) take(file);
    field.value = '';
  }}
/>
