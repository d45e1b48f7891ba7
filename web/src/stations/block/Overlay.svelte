<script lang="ts">
  /** The picks of a proxy being stood, and the handles of the selected one. */
  import { project as open } from '../../lib/project.svelte';
  import { inWorld, project, toView, type Point, type Window2D } from '../../views/camera';
  import Grip from '../../views/marks/Grip.svelte';
  import Stroke from '../../views/marks/Stroke.svelte';
  import { far } from '../../views/hand';
  import { blockHand } from './hand.svelte';
  import { selection } from '../../lib/selection.svelte';

  let { win }: { win: Window2D } = $props();

  const GRIP = 11; // how near a press takes hold of a handle, unless another is nearer, px
  const camera = $derived(open.reading?.camera);
  const view = (p: Point) => toView(win, p);
  const id = $derived(selection.one('proxy'));
  const shown = $derived(id ? open.shapes.get(id) : undefined);
  const LABELS: Record<string, string> = { foot: 'Foot', top: 'Top', turn: 'Turn' };

  const handles = $derived.by(() => {
    if (!shown || !camera || blockHand.kind) return [];
    const seen = shown.handles.flatMap((h) => {
      const held = blockHand.held;
      const mine = held?.id === shown.id && held.role === h.role;
      const at = mine ? held.to : project(camera, inWorld(shown.frame, h.at));
      const label = LABELS[h.role] ?? `Corner ${Number(h.role.slice(7)) + 1}`;
      return at ? [{ role: h.role, at: view(at), label, held: mine }] : [];
    });
    const room = (from: Point, role: string) =>
      Math.min(...seen.filter((h) => h.role !== role).map((h) => far(h.at, from)));
    // on a small proxy the ring would lie over a corner: it is put further out, where it is free
    const ring = seen.find((h) => h.role === 'turn' && !h.held);
    const foot = seen.find((h) => h.role === 'foot');
    if (ring && foot) {
      const out = Math.max(far(ring.at, foot.at), 1e-6);
      const by = [(ring.at[0] - foot.at[0]) / out, (ring.at[1] - foot.at[1]) / out];
      for (let more = 0; more < 40 && room(ring.at, 'turn') < 2 * GRIP; more += 2)
        ring.at = [ring.at[0] + 2 * by[0], ring.at[1] + 2 * by[1]];
    }
    return seen.map((h) => ({ ...h, grip: Math.min(Math.max(room(h.at, h.role) / 2, 5), GRIP) }));
  });
  const line = $derived(
    [...blockHand.picks, ...(blockHand.kind && blockHand.hover ? [blockHand.hover] : [])].map(view),
  );
</script>

{#if blockHand.kind}
  {#each open.reading?.corners ?? [] as c (c.id)}
    {#if c.at}
      {@const [x, y] = view(c.at as Point)}
      <path d="M{x} {y - 8}l8 8l-8 8l-8 -8z" fill="none" stroke="#dfe8e4" stroke-width="1.6" />
    {/if}
  {/each}
{/if}
{#if line.length > 1}
  <Stroke points={line} colour="#ffd166" width={1.4} dash="5 4" under={0} />
{/if}
{#each blockHand.picks.map(view) as at, i (i)}
  <path
    d="M{at[0] - 6} {at[1]}h4M{at[0] + 2} {at[1]}h4M{at[0]} {at[1] - 6}v4M{at[0]} {at[1] + 2}v4"
    stroke="#ffd166"
    stroke-width="2"
  />
{/each}

{#each handles as h (h.role)}
  <g transform="translate({h.at[0]} {h.at[1]})">
    {#if h.role === 'top'}
      <path d="M-7 3L0 -5L7 3" fill="none" stroke="#0c1110" stroke-width="5" />
      <path d="M-7 3L0 -5L7 3" fill="none" stroke="#ffd166" stroke-width="2.2" />
    {:else if h.role === 'turn'}
      <path d="M-6 2a6 6 0 1 1 4 4" fill="none" stroke="#0c1110" stroke-width="5" />
      <path d="M-6 2a6 6 0 1 1 4 4" fill="none" stroke="#ffd166" stroke-width="2.2" />
    {:else if h.role === 'foot'}
      <path d="M0 -6L6 0L0 6L-6 0z" fill="#ffd166" stroke="#0c1110" stroke-width="1.5" />
    {:else}
      <rect x="-4" y="-4" width="8" height="8" fill="#0c1110" stroke="#ffd166" stroke-width="1.8" />
    {/if}
    <Grip
      r={h.grip}
      grip="{id}|{h.role}"
      label="{h.label} of the selected proxy"
      cursor={h.role === 'top' ? 'ns-resize' : 'move'}
    />
  </g>
{/each}
