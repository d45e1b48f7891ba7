<script lang="ts">
  /** The library's button in our kinds: plain, main, bare and chip; tight where room is scarce. */
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';
  import type { HTMLButtonAttributes } from 'svelte/elements';
  import { PRESS, TIGHT, type PressKind } from './theme';

  let {
    kind = 'plain',
    main = false,
    tight = false,
    class: more,
    children,
    ...rest
  }: Omit<HTMLButtonAttributes, 'color'> & {
    kind?: PressKind;
    main?: boolean;
    tight?: boolean;
    href?: string; // it is a link then
    download?: boolean;
    children?: Snippet;
  } = $props();
  const toTheLeft = $derived(String(more).includes('text-left'));
</script>

<Button
  {...rest as Record<string, unknown>}
  color="alternative"
  class={[PRESS[main ? 'main' : kind], tight && TIGHT, toTheLeft && 'justify-start', more]}
>
  {@render children?.()}
</Button>
