<script lang="ts">
  /** A heading's tone and pattern, as they are over the picture. */
  import { colourOf } from './headings';

  import type { Heading } from '../lib/api/client';

  let { heading, wide = 24 }: { heading: Heading | 'direction'; wide?: number } = $props();
  const SHORT: Record<string, string> = {
    across: '',
    away: '7 3',
    up: '6 3 2 3',
    direction: '1 4',
  };
  const dash = $derived(SHORT[heading] ?? '3 3');
</script>

<svg width={wide} height="4" aria-hidden="true"
  ><line
    x1="0"
    y1="2"
    x2={wide}
    y2="2"
    stroke={heading === 'direction' ? '#94a8a0' : colourOf(heading)}
    stroke-width="2.2"
    stroke-dasharray={dash || undefined}
  /></svg
>
