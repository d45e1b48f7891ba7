<script lang="ts">
  /** The library's tooltip, one for the whole page: over whatever has words of its own (`tip`), and
   *  gone with the press that follows. A finger has no pointer to rest, and sees none. */
  import { Tooltip } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { TIP } from './theme';

  const REST_MS = 450;
  let over = $state.raw<HTMLElement | null>(null);
  let open = $state(false);
  let timer = 0;

  const tipped = (e: Event) =>
    e.target instanceof Element ? e.target.closest<HTMLElement>('[data-tip]') : null;
  function rest(on: HTMLElement | null) {
    clearTimeout(timer);
    if (on === over) return;
    show(null);
    if (on) timer = window.setTimeout(() => show(on), REST_MS);
  }
  function show(on: HTMLElement | null) {
    over?.removeAttribute('data-tipped');
    on?.setAttribute('data-tipped', ''); // its place is looked for by this name
    [over, open] = [on, false];
    // it shows itself only when it is opened after it has been made
    void tick().then(() => (open = over === on && !!on));
  }
  function focus(e: FocusEvent) {
    const on = tipped(e);
    if (on?.matches(':focus-visible')) rest(on);
  }
  function stop(e: Event) {
    if (e instanceof KeyboardEvent && e.key === 'Tab') return;
    clearTimeout(timer);
    show(null);
  }
  const words = $derived(over?.dataset.tip ?? '');
</script>

<svelte:document
  onpointerover={(e) => e.pointerType !== 'touch' && rest(tipped(e))}
  onpointerdowncapture={stop}
  onkeydowncapture={stop}
  onwheelcapture={stop}
  onfocusin={focus}
  onfocusout={stop}
/>

<aside class="contents" aria-label="Tip">
  {#if over && over.isConnected && words}
    {#key over}
      <Tooltip
        isOpen={open}
        triggeredBy="[data-tipped]"
        arrow={false}
        placement="bottom"
        type="custom"
        class={TIP}>{words}</Tooltip
      >
    {/key}
  {/if}
</aside>
