<script lang="ts">
  /** A field for a file, or for several, that a button opens. */
  import { Fileupload } from 'flowbite-svelte';

  let {
    label,
    accept,
    element = $bindable(),
    take,
    takeAll,
  }: {
    label: string;
    accept: string;
    element: HTMLInputElement | undefined;
    take?: (file: File) => void;
    takeAll?: (files: File[]) => void;
  } = $props();
</script>

<Fileupload
  bind:elementRef={element}
  class="hidden"
  aria-label={label}
  {accept}
  multiple={!!takeAll}
  onchange={(e) => {
    const field = e.currentTarget as HTMLInputElement;
    const files = [...(field.files ?? [])];
    if (files.length) {
      take?.(files[0]);
      takeAll?.(files);
    }
    field.value = '';
  }}
/>
