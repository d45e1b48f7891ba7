<script lang="ts">
  /** A spot that a hand can take hold of: larger than what is seen of it. */
  import type { Point } from '../camera';

  let {
    at = [0, 0],
    r = 11,
    grip,
    label,
    cursor = 'move',
  }: { at?: Point; r?: number; grip: string; label: string; cursor?: string } = $props();
</script>

<circle
  cx={at[0]}
  cy={at[1]}
  {r}
  fill="transparent"
  data-grip={grip}
  role="button"
  tabindex="-1"
  aria-label={label}
  style="cursor: {cursor}"
/>
