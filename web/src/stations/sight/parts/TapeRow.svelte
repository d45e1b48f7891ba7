<script lang="ts">
  /** A length that somebody knows: typed, left open again, and what it comes to where it disagrees. */
  import NumberField from '../../../project/NumberField.svelte';
  import { length } from '../../../lib/units.svelte';
  import Press from '../../../lib/Press.svelte';

  let {
    label,
    value,
    disabled,
    says = 'comes to',
    measured,
    off,
    open,
    onkeep,
    ontry,
    onopen,
  }: {
    label: string;
    value: number | null | undefined;
    disabled: boolean;
    says?: string;
    measured: number | null | undefined;
    off: number | null | undefined; // metres from what was typed
    open: string; // what leaving it open is called
    onkeep: (metres: number) => void;
    ontry?: (metres: number) => void;
    onopen: () => void;
  } = $props();
  const LEAST_OFF_M = 0.005;
</script>

<div class="flex items-center gap-1">
  <div class="flex-1">
    <NumberField {label} length {value} min={0.01} {disabled} {ontry} {onkeep} />
  </div>
  {#if value && !disabled}
    <Press kind="bare" class="px-1 text-quiet hover:text-warning" aria-label={open} onclick={onopen}
      >✕</Press
    >
  {/if}
</div>
{#if value && measured != null && Math.abs(off ?? 0) >= LEAST_OFF_M}
  <p class="num text-right text-[12px] text-warning">
    {says}
    {length(measured)} where you said {length(value)}
  </p>
{/if}
