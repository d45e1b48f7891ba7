<script lang="ts">
  /** A heading's tone and pattern, as they are over the picture. */
  import { COLOURS, PATTERNS } from '../../../lib/words';

  import type { Heading } from '../../../lib/api/client';

  let { heading, wide = 24 }: { heading: Heading | 'direction'; wide?: number } = $props();
  const SHORT: Record<string, string> = { away: '7 3', up: '6 3 2 3', direction: '1 4' };
</script>

<svg width={wide} height="4" aria-hidden="true"
  ><line
    x1="0"
    y1="2"
    x2={wide}
    y2="2"
    stroke={heading === 'direction' ? '#94a8a0' : COLOURS[heading]}
    stroke-width="2.2"
    stroke-dasharray={heading === 'direction' || PATTERNS[heading] ? SHORT[heading] : undefined}
  /></svg
>
