<script lang="ts">
  /** A colour in the picture's own numbers. */
  import { Input } from 'flowbite-svelte';
  import { hexOf, ofHex } from '../../lib/colour';

  let {
    label,
    value,
    ontry,
    onkeep,
  }: {
    label: string;
    value: readonly number[];
    ontry: (colour: [number, number, number]) => void;
    onkeep: (colour: [number, number, number]) => void;
  } = $props();

  const id = $props.id();
  const of = (e: Event) => ofHex((e.currentTarget as HTMLInputElement).value);
</script>

<div class="flex items-center justify-between gap-2 py-0.5">
  <label class="text-quiet" for={id}>{label}</label>
  <span class="w-[92px]">
    <Input
      {id}
      type="color"
      class="h-7 cursor-pointer p-0.5"
      value={hexOf(value)}
      oninput={(e) => ontry(of(e))}
      onchange={(e) => onkeep(of(e))}
    /></span
  >
</div>
