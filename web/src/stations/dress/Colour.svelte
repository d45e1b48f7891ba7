<script lang="ts">
  /** A colour in the picture's own numbers. */
  import { Input } from 'flowbite-svelte';

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
  const hex = $derived(
    '#' +
      value
        .map((v) =>
          Math.round(255 * v)
            .toString(16)
            .padStart(2, '0'),
        )
        .join(''),
  );
  const of = (e: Event) => read((e.currentTarget as HTMLInputElement).value);
  const read = (text: string) =>
    [1, 3, 5].map((i) => parseInt(text.slice(i, i + 2), 16) / 255) as [number, number, number];
</script>

<div class="flex items-center justify-between gap-2 py-0.5">
  <label class="text-quiet" for={id}>{label}</label>
  <span class="w-[92px]">
    <Input
      {id}
      type="color"
      class="h-7 cursor-pointer p-0.5"
      value={hex}
      oninput={(e) => ontry(of(e))}
      onchange={(e) => onkeep(of(e))}
    /></span
  >
</div>
