<script lang="ts">
  /** The library's text field for a name or other words: they are kept when it is left or Enter is
   *  pressed, and Escape puts back what was there. */
  import { Input } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  let {
    value,
    most = 80,
    onkeep,
    onleave,
    ...rest
  }: Omit<HTMLInputAttributes, 'size' | 'value' | 'color'> & {
    value: string;
    most?: number;
    /** What was written, without spaces about it. */
    onkeep: (words: string) => void;
    /** The field was left, whether anything was written or not. */
    onleave?: () => void;
  } = $props();

  const field = (e: Event) => e.currentTarget as HTMLInputElement;
  function keydown(e: KeyboardEvent) {
    // with nothing written of its own there is nothing here to undo: the project's is undone
    const undoes = (e.ctrlKey || e.metaKey) && /^[zy]$/i.test(e.key) && field(e).value === value;
    if (!e.altKey && !undoes) e.stopPropagation();
    if (e.key === 'Escape') field(e).value = value;
    if (e.key === 'Enter' || e.key === 'Escape') field(e).blur();
  }
  function blur(e: Event) {
    const words = field(e).value.trim();
    if (words !== value) onkeep(words);
    // what was refused is not shown as if it were kept
    field(e).value = value;
    onleave?.();
  }
</script>

<Input
  {...rest as Record<string, unknown>}
  maxlength={most}
  data-undoes
  {value}
  onkeydown={keydown}
  onblur={blur}
/>
