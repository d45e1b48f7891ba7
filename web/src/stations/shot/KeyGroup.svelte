<script lang="ts">
  /** The marked stretch of the time strip: its keys are drawn along together, stretched by its ends,
   *  and copied with Alt. */
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { group } from './group.svelte';

  let { last }: { last: number } = $props();
  const share = (frame: number) => (frame / last) * 100;
  type Part = 'all' | 'first' | 'last';
  let held = $state.raw<{ part: Part; x: number; wide: number } | null>(null);

  const down = (part: Part) => (e: PointerEvent) => {
    const box = e.currentTarget as HTMLElement;
    e.stopPropagation();
    box.setPointerCapture(e.pointerId);
    const strip = box.closest('[data-strip]')!.getBoundingClientRect();
    held = { part, x: e.clientX, wide: strip.width };
  };
  function move(e: PointerEvent) {
    if (!held) return;
    const by = Math.round(((e.clientX - held.x) / held.wide) * last);
    const { first, last: end } = group;
    if (held.part === 'all') {
      const all = Math.min(Math.max(by, -first), last - end);
      [group.to_first, group.to_last] = [first + all, end + all];
    } else if (held.part === 'first')
      group.to_first = Math.min(Math.max(first + by, 0), Math.max(end - 1, 0));
    else group.to_last = Math.max(Math.min(end + by, last), Math.min(first + 1, last));
    if (group.goes) project.try(group.change(e.altKey));
    else project.drop();
  }
  function up(e: PointerEvent) {
    if (!held) return;
    held = null;
    if (!group.goes) return project.drop();
    void project
      .keep(group.change(e.altKey))
      .then((kept) => (kept ? group.arrive() : group.stay()));
  }
  function lost() {
    if (!held) return;
    held = null;
    group.stay();
    project.drop();
  }
  function step(by: number, copies: boolean) {
    if (group.first + by < 0 || group.last + by > last) return;
    [group.to_first, group.to_last] = [group.first + by, group.last + by];
    void project.keep(group.change(copies)).then((kept) => (kept ? group.arrive() : group.stay()));
  }
</script>

<div
  class="absolute top-[18px] h-7 cursor-grab touch-none border border-lantern bg-lantern/15"
  style="left: {share(group.to_first)}%; width: max({share(group.to_last) -
    share(group.to_first)}%, 6px)"
  role="slider"
  tabindex="0"
  aria-label="Keys from {playhead.numbered(group.first)} to {playhead.numbered(group.last)}"
  aria-valuemin="0"
  aria-valuemax={last}
  aria-valuenow={group.to_first}
  title="Drag the keys along, or stretch them by an end; with Alt they are copied. Escape lets go."
  onpointerdown={down('all')}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={lost}
  onlostpointercapture={lost}
  onkeydown={(e) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    if (e.key === 'Escape') group.marked = false;
    else if (by) step(e.shiftKey ? 10 * by : by, e.altKey);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }}
>
  {#each group.first < group.last ? (['first', 'last'] as const) : [] as end (end)}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <div
      class={[
        'absolute top-0 h-full w-2 cursor-ew-resize bg-lantern',
        end === 'first' ? '-left-1' : '-right-1',
      ]}
      onpointerdown={down(end)}
      onpointermove={move}
      onpointerup={up}
      onpointercancel={lost}
      onlostpointercapture={lost}
    ></div>
  {/each}
</div>
