<script lang="ts">
  /** A station's mark: dark, part lit, lit. */
  let { lit }: { lit: 'dark' | 'part' | 'lit' } = $props();
  const colour = $derived(
    lit === 'lit'
      ? 'var(--color-jade)'
      : lit === 'part'
        ? 'var(--color-lantern)'
        : 'var(--color-quiet)',
  );
</script>

<svg width="12" height="18" viewBox="0 0 12 18" aria-hidden="true">
  <path d="M3.5 1.5h5" stroke={colour} stroke-width="2" />
  <rect
    x="1"
    y="4.5"
    width="10"
    height="12.5"
    rx="3"
    fill={lit === 'lit' ? colour : 'none'}
    stroke={colour}
    stroke-width="1.3"
  />
  {#if lit === 'part'}
    <path d="M1.6 11h8.8v3.5a2.4 2.4 0 0 1-2.4 2.4h-4a2.4 2.4 0 0 1-2.4-2.4z" fill={colour} />
  {/if}
</svg>
