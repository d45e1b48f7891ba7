<script lang="ts">
  /** The library's button in our kinds: plain, main, bare and chip; tight where room is scarce. */
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';
  import type { HTMLButtonAttributes } from 'svelte/elements';
  import { tip } from './tip';
  import { PRESS, TIGHT, type PressKind } from './theme';

  let {
    kind = 'plain',
    main = false,
    tight = false,
    title,
    does,
    class: more,
    children,
    ...rest
  }: Omit<HTMLButtonAttributes, 'color'> & {
    kind?: PressKind;
    main?: boolean;
    tight?: boolean;
    title?: string | null; // said of it while the pointer rests on it
    does?: string; // the verb it carries out, by its words: its key is said too
    href?: string; // it is a link then
    download?: boolean;
    children?: Snippet;
  } = $props();
  const toTheLeft = $derived(String(more).includes('text-left'));
</script>

<Button
  {...rest as Record<string, unknown>}
  {...tip(title, does)}
  color="alternative"
  class={[PRESS[main ? 'main' : kind], tight && TIGHT, toTheLeft && 'justify-start', more]}
>
  {@render children?.()}
</Button>
