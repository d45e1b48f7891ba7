<script lang="ts">
  /** The cast sheet: proxies against lanterns, in order; filled by pressing and by dragging. */
  import Heading from '../../lib/Heading.svelte';
  import { Table } from 'flowbite-svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import { windows } from '../../project/windows.svelte';
  import { wholeMove } from '../../project/strip.svelte';
  import { changes, keyOf, rowsOf, stroked, type Row, type Stroke } from './sheet';
  import { show } from './show.svelte';
  import { tip } from '../../lib/tip';
  import Press from '../../lib/Press.svelte';

  const WORTH = 0.0005; // of a frame: less is not worth a number
  const scene = $derived(project.scene!);
  const rows = $derived(rowsOf(scene, project.takes));
  const worst = $derived(new Map((wholeMove.now?.proxies ?? []).map((p) => [p.id, p])));
  const glazed = $derived(new Set(scene.glazed.map((one) => one.id)));
  const larger = $derived(windows.whole === 'tray');
  let around: HTMLElement;

  /** The drag that is going on, and those that are being kept, the oldest first. */
  let drag = $state.raw<Stroke | null>(null);
  let sent = $state.raw<readonly Stroke[]>([]);
  const shown = (row: Row): readonly string[] =>
    (drag ? [...sent, drag] : sent).reduce(
      (all, stroke) => stroked(row, all, stroke),
      row.lanterns,
    );

  $effect(() => {
    void project.state?.revision;
    void wholeMove.look();
  });

  function down(e: PointerEvent, row: Row, lantern: string) {
    if (e.button) return;
    (e.target as Element).releasePointerCapture?.(e.pointerId);
    drag = { lantern, on: !shown(row).includes(lantern), rows: new Set([keyOf(row)]) };
  }
  function over(e: PointerEvent, row: Row, lantern: string) {
    if (!drag || !(e.buttons & 1) || drag.lantern !== lantern) return;
    if (shown(row).includes(lantern) === drag.on) return;
    drag = { ...drag, rows: new Set([...drag.rows, keyOf(row)]) };
  }
  function up() {
    if (!drag) return;
    void keep(drag);
    drag = null;
  }
  /** Keep a stroke, on the rows as they are when its turn comes: the one before it may still be
   *  under way. */
  async function keep(stroke: Stroke) {
    sent = [...sent, stroke];
    await project.keep((scene, { takes }) => {
      const rows = rowsOf(scene, takes).filter((row) => changes(row, row.lanterns, stroke));
      return {
        verb: 'CastOn',
        cleared: [],
        rows: rows.map((row) => ({
          proxy: row.proxy,
          face: row.face,
          lanterns: stroked(row, row.lanterns, stroke),
        })),
      };
    });
    sent = sent.filter((one) => one !== stroke);
  }
  const clear = (row: Row) =>
    project.keep({
      verb: 'CastOn',
      rows: [],
      cleared: [{ proxy: row.proxy, face: row.face, lanterns: [] }],
    });

  function keydown(e: KeyboardEvent, row: Row, lantern: string) {
    if (e.key === ' ' || e.key === 'Enter') {
      e.preventDefault();
      e.stopPropagation();
      const on = !shown(row).includes(lantern);
      void keep({ lantern, on, rows: new Set([keyOf(row)]) });
      return;
    }
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[
      e.key
    ];
    if (!step) return;
    e.preventDefault();
    e.stopPropagation();
    const cell = (e.target as Element).closest('td')!;
    const line = cell.parentElement as HTMLTableRowElement;
    const to =
      around.querySelector('table')!.rows[line.rowIndex + step[0]]?.cells[cell.cellIndex + step[1]];
    to?.querySelector('button')?.focus();
  }
  function choose(e: MouseEvent, row: Row) {
    if (e.shiftKey || e.ctrlKey || e.metaKey) selection.add('proxy', row.proxy);
    else selection.choose('proxy', row.proxy);
    const at = worst.get(row.proxy);
    if (show.shot && at && at.share > WORTH) playhead.at = at.frame;
  }
</script>

<svelte:window onpointerup={up} onpointercancel={() => (drag = null)} />

<section aria-label="Cast sheet">
  <Heading>
    Cast sheet
    <small>
      the lowest number is seen first
      <Press
        kind="bare"
        class="ml-2 underline"
        does="the walk view’s room for the tray, and back"
        aria-pressed={larger}
        onclick={() => windows.give('tray')}>{larger ? 'smaller' : 'larger'}</Press
      >
    </small>
  </Heading>
  <div
    class={['isolate overflow-auto', larger ? 'max-h-[calc(100vh-25rem)]' : 'max-h-[46vh]']}
    bind:this={around}
  >
    <Table class="w-full border-separate border-spacing-y-[2px] text-[13px]">
      <thead>
        <tr class="text-left text-[12px] text-quiet">
          <th class="sticky top-0 left-0 z-20 min-w-32 bg-raised font-normal">proxy</th>
          <th
            class="sticky top-0 z-10 bg-raised pr-1 text-right font-normal"
            {...tip('The most of a frame in which it shows')}
          >
            worst</th
          >
          {#each scene.lanterns as lantern, i (lantern.id)}
            <th
              class="sticky top-0 z-10 w-9 bg-raised text-center font-normal"
              {...tip(lantern.name)}>{i + 1}</th
            >
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each rows as row (keyOf(row))}
          {@const at = row.face === null ? worst.get(row.proxy) : undefined}
          <tr class={selection.has('proxy', row.proxy) ? 'bg-hover' : 'bg-raised'}>
            <th
              class="sticky left-0 z-10 w-full max-w-0 min-w-32 bg-inherit font-normal"
              scope="row"
            >
              <span class="flex items-center">
                <Press
                  kind="bare"
                  class="min-w-0 flex-1 block truncate px-1 py-[3px] text-left {row.face == null
                    ? 'pl-4 text-quiet'
                    : ''} {selection.has('proxy', row.proxy) ? 'text-lantern' : ''} {!shown(row)
                    .length
                    ? 'text-warning'
                    : ''}"
                  onclick={(e) => choose(e, row)}
                  >{row.name}{row.face === null && glazed.has(row.proxy) ? ' · glazed' : ''}{shown(
                    row,
                  ).length
                    ? ''
                    : ' · nothing cast'}</Press
                >
                {#if row.own}
                  <Press
                    kind="bare"
                    class="px-1 text-[12px] text-quiet hover:text-ink"
                    aria-label={`Let go of the row of ${row.name}`}
                    title="Let go of this row: it takes what it takes without one"
                    onclick={() => clear(row)}>×</Press
                  >
                {/if}
              </span>
            </th>
            <td class="num pr-1 text-right text-[12px] whitespace-nowrap text-quiet">
              {#if at && at.share > WORTH}
                <Press
                  kind="bare"
                  class={at.share > 0.01 ? 'text-warning' : ''}
                  title={`at frame ${playhead.numbered(at.frame)}`}
                  aria-label={`${row.name}: ${(100 * at.share).toFixed(1)} % at its worst, frame ${playhead.numbered(at.frame)}`}
                  onclick={() => {
                    show.shot = true;
                    playhead.at = at.frame;
                    selection.choose('proxy', row.proxy);
                  }}>{(100 * at.share).toFixed(1)} %</Press
                >
              {:else if at}·{/if}
            </td>
            {#each scene.lanterns as lantern, i (lantern.id)}
              {@const place = shown(row).indexOf(lantern.id) + 1}
              <td class="p-0 text-center">
                <Press
                  kind="bare"
                  class="num h-[22px] w-8 rounded-t-[9px] rounded-b-[4px] border text-[12px] {place
                    ? 'border-jade bg-taken text-jade'
                    : 'border-line text-transparent hover:border-quiet'}"
                  aria-pressed={place > 0}
                  aria-label={`${row.face === null ? row.name : `${scene.proxies.find((p) => p.id === row.proxy)?.name} ${row.name}`} takes ${lantern.name}${place ? `, ${place}` : ''}`}
                  tabindex={i ? -1 : 0}
                  onpointerdown={(e) => down(e, row, lantern.id)}
                  onpointerenter={(e) => over(e, row, lantern.id)}
                  onkeydown={(e) => keydown(e, row, lantern.id)}>{place || '·'}</Press
                >
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </Table>
  </div>
  <div class="mt-1 grid grid-cols-2 gap-1">
    <Press
      tight
      aria-pressed={show.faces === 'row'}
      title="Press a face in the lens view: it gets a row of its own"
      onclick={() => (show.faces = show.faces === 'row' ? null : 'row')}>A row for a face</Press
    >
    <Press
      tight
      aria-pressed={show.faces === 'flat'}
      title="Press a face in the lens view: a lantern sees it square on, to be painted flat"
      onclick={() => (show.faces = show.faces === 'flat' ? null : 'flat')}
      >Flat view of a face</Press
    >
  </div>
  {#if show.faces}<p class="mt-1 text-[12px] text-lantern">Press a face in the lens view.</p>{/if}
</section>
