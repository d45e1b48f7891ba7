<script lang="ts">
  /** A line over the picture, with a dark one under it so that it shows on any picture. */
  import type { Point } from '../camera';

  let {
    points,
    colour,
    width = 1.6,
    dash,
    opacity,
    under = 3,
    underColour = '#0c1110',
    underOpacity = 0.45,
  }: {
    points: readonly Point[];
    colour: string;
    width?: number;
    dash?: string;
    opacity?: number;
    under?: number; // px; 0 for none
    underColour?: string;
    underOpacity?: number;
  } = $props();
  const run = $derived(points.join(' '));
</script>

{#if under}
  <polyline
    points={run}
    fill="none"
    stroke={underColour}
    stroke-width={under}
    opacity={underOpacity}
  />
{/if}
<polyline
  points={run}
  fill="none"
  stroke={colour}
  stroke-width={width}
  stroke-dasharray={dash}
  {opacity}
/>
