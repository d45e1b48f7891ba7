<script lang="ts">
  /** Over the shot: where lamps hang, and the shadow that a sun is aimed by. */
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { project as pixelOf, toView, type Window2D } from '../../views/camera';
  import { shotAt } from '../../views/shot';
  import PreviewOverlay from '../shot/PreviewOverlay.svelte';
  import { dressAt } from '../../project/times';
  import { chosenOne, heldBy } from './guests.svelte';
  import { chosen as picked, shadow } from './lights.svelte';

  let { win }: { win: Window2D } = $props();
  const lamps = $derived.by(() => {
    const sighted = project.reading?.camera;
    const dress = dressAt(project.dress, project.times, playhead.frame);
    if (!sighted || !project.shot || !dress) return [];
    const camera = shotAt(project.shot, playhead.at, sighted);
    return dress.lights.flatMap((one) => {
      const at =
        one.kind === 'lamp' ? pixelOf(camera, one.place as [number, number, number]) : null;
      return at ? [{ id: one.id, at: toView(win, at) }] : [];
    });
  });
  const grips = $derived.by(() => {
    const sighted = project.reading?.camera;
    const id = chosenOne.id;
    const guest = id ? heldBy(id) : null;
    if (!sighted || !project.shot || !id || !guest) return null;
    const camera = shotAt(project.shot, playhead.at, sighted);
    const [foot, top] = [guest.foot, guest.top].map((p) => pixelOf(camera, p));
    return foot && top ? { id, foot: toView(win, foot), top: toView(win, top) } : null;
  });
  const nameOf = (id: string) => project.scene!.lights.find((one) => one.id === id)?.name ?? '';
  const line = $derived(
    shadow.from && shadow.to && [toView(win, shadow.from), toView(win, shadow.to)],
  );
</script>

<PreviewOverlay {win} />
{#each lamps as { id, at } (id)}
  {@const chosen = picked.id === id}
  <g transform="translate({at[0]} {at[1]})" data-grip={id} class="cursor-move">
    <circle r="14" fill="transparent" />
    <g stroke="var(--color-ground)" stroke-width="4.5" fill="none">
      <path d="M-4.5 -6H4.5L6.5 5H-6.5ZM0 -6V-10" />
    </g>
    <path
      d="M-4.5 -6H4.5L6.5 5H-6.5ZM0 -6V-10"
      fill={chosen ? 'var(--color-lantern)' : 'var(--color-ground)'}
      stroke={chosen ? 'var(--color-ink)' : 'var(--color-lantern)'}
      stroke-width="1.6"
    />
    {#if chosen}
      <text
        x="12"
        y="4"
        class="text-[12px]"
        fill="var(--color-ink)"
        stroke="var(--color-ground)"
        stroke-width="3"
        paint-order="stroke">{nameOf(id)}</text
      >
    {/if}
  </g>
{/each}
{#if grips}
  {@const { id, foot, top } = grips}
  <g fill="none">
    {#each [['var(--color-ground)', 4], ['var(--color-lantern)', 1.6]] as const as [stroke, wide] (wide)}
      <path d="M{foot}L{top}" {stroke} stroke-width={wide} class="pointer-events-none" />
    {/each}
    <g transform="translate({foot})" data-grip="{id}:foot" class="cursor-move">
      <circle r="13" fill="transparent" />
      <ellipse
        rx="8"
        ry="4.5"
        fill="var(--color-lantern)"
        stroke="var(--color-ground)"
        stroke-width="1.5"
      />
    </g>
    <g transform="translate({top})" data-grip="{id}:top" class="cursor-ns-resize">
      <circle r="12" fill="transparent" />
      <path
        d="M-5 3L0 -4L5 3Z"
        fill="var(--color-lantern)"
        stroke="var(--color-ground)"
        stroke-width="1.5"
      />
    </g>
  </g>
{/if}
{#if line}
  {@const [[x0, y0], [x1, y1]] = line}
  <g class="pointer-events-none" fill="none">
    <path d="M{x0} {y0}L{x1} {y1}" stroke="var(--color-ground)" stroke-width="4" />
    <path
      d="M{x0} {y0}L{x1} {y1}"
      stroke="var(--color-lantern)"
      stroke-width="1.8"
      stroke-dasharray="5 4"
    />
    <circle cx={x0} cy={y0} r="4" fill="var(--color-lantern)" />
    <circle cx={x1} cy={y1} r="5" stroke="var(--color-lantern)" stroke-width="1.8" />
  </g>
{/if}
