<script lang="ts">
  /** Both views and the tray, their dividers remembered by station. The views are drawn on one
   *  canvas, with one copy of the plate. The walk view lies over the tray; for a tall still, which
   *  leaves room at its sides, it stands beside it. It takes no room while it has nothing to show. */
  import { onMount, untrack, type Snippet } from 'svelte';
  import { innerWidth } from 'svelte/reactivity/window';
  import { Pane, PaneGroup, PaneResizer } from 'paneforge';
  import { project } from '../project/project.svelte';
  import { windows } from '../project/windows.svelte';
  import LensView from './LensView.svelte';
  import { Paper } from './paper';
  import { Plate } from './plate';
  import { Plates } from './plates';
  import { Screen } from './screen';
  import type { Station } from './station';
  import WalkView from './WalkView.svelte';

  const MOST_TRAY = 580; // px: wider its words and numbers would only lie farther apart

  let { station, tray }: { station: Station; tray: Snippet } = $props();
  let canvas: HTMLCanvasElement;
  let shared = $state.raw<{ screen: Screen; paper: Paper; plate: Plate; plates: Plates } | null>(
    null,
  );
  let arrived = $state(0); // counts what has come of the plate
  let trouble = $state<string | null>(null);
  let outer = $state<ReturnType<typeof PaneGroup>>();
  let inner = $state<ReturnType<typeof PaneGroup>>();

  const tall = $derived(project.scene!.plate.height > project.scene!.plate.width);
  const walks = $derived(!!project.reading?.camera);
  /** The lens view's share of the width, and the walk view's of what is left: percent. */
  const usual = $derived<[number, number]>(
    tall ? [40, 52] : [100 - Math.min(34, (100 * MOST_TRAY) / (innerWidth.current ?? 1280)), 32],
  );

  const place = (which: string) => `dividers.${station.name}.${tall ? 'tall' : 'wide'}.${which}`;
  function remembered(which: string, share: number): number[] {
    const kept = Number(localStorage.getItem(place(which)));
    return kept > 0 && kept < 100 ? [kept, 100 - kept] : [share, 100 - share];
  }
  const remember = (which: string) => (layout: number[]) => {
    if (windows.whole || layout.length !== 2 || layout[0] <= 0 || layout[0] >= 100) return;
    // what is usual is not remembered: it is another in a window of another size
    const moved = Math.abs(layout[0] - usual[which === 'outer' ? 0 : 1]) > 0.2;
    if (moved) localStorage.setItem(place(which), layout[0].toFixed(2));
    else localStorage.removeItem(place(which));
  };
  $effect(() => {
    const whole = windows.whole;
    outer?.setLayout(
      whole === 'lens' ? [100, 0] : whole === 'walk' ? [0, 100] : remembered('outer', usual[0]),
    );
    inner?.setLayout(
      !walks || whole === 'tray'
        ? [0, 100]
        : whole === 'walk'
          ? [100, 0]
          : remembered('inner', usual[1]),
    );
  });

  let aside: HTMLElement | undefined = $state();
  // the tray of another station begins at its top
  $effect(() => {
    void station;
    aside?.scrollTo(0, 0);
  });

  let screen = $state.raw<Screen | null>(null);
  onMount(() => {
    const mine = (screen = new Screen(canvas));
    return () => mine.dispose();
  });
  // another plate, such as a flattened one, is drawn anew; the tray stays as it is
  const plate = $derived(project.scene!.plate);
  const digest = $derived(plate.picture ? `${plate.digest}@${plate.picture}` : plate.digest);
  $effect(() => {
    if (!screen) return;
    const mine = screen;
    const id = untrack(() => project.state!.id);
    const { width, height } = untrack(() => project.scene!.plate);
    const paper = new Paper();
    const plate = new Plate(
      id,
      digest,
      width,
      height,
      mine.renderer,
      () => arrived++,
      (words) => (trouble = words),
    );
    const plates = new Plates(
      id,
      plate,
      mine.renderer,
      paper,
      () => arrived++,
      (words) => (trouble = words),
    );
    [arrived, trouble] = [0, null];
    shared = { screen: mine, paper, plate, plates };
    return () => {
      shared = null;
      plates.dispose();
      plate.dispose();
      paper.dispose();
    };
  });
</script>

{#snippet divider(label: string, lies: boolean)}
  <PaneResizer
    class="grid place-content-center bg-ground hover:bg-hover {lies ? 'h-[5px]' : 'w-[5px]'}"
    aria-label={label}
  >
    <span class="rounded bg-line {lies ? 'h-[3px] w-9' : 'h-9 w-[3px]'}"></span>
  </PaneResizer>
{/snippet}

<div class="relative min-w-0 flex-1">
  <canvas bind:this={canvas} class="absolute inset-0 h-full w-full"></canvas>
  <PaneGroup
    direction="horizontal"
    class="relative"
    bind:this={outer}
    onLayoutChange={remember('outer')}
  >
    <Pane defaultSize={usual[0]} minSize={0} collapsible>
      {#key shared}{#if shared}<LensView {...shared} {station} {arrived} {trouble} />{/if}{/key}
    </Pane>
    {@render divider('Divider between the lens view and the rest', false)}
    <Pane defaultSize={100 - usual[0]} minSize={0} collapsible>
      <PaneGroup
        direction={tall ? 'horizontal' : 'vertical'}
        bind:this={inner}
        onLayoutChange={remember('inner')}
      >
        <Pane defaultSize={walks ? usual[1] : 0} minSize={0} collapsible>
          {#key shared}{#if shared && walks}<WalkView {...shared} {station} {arrived} />{/if}{/key}
        </Pane>
        <span class:contents={walks} class:hidden={!walks}>
          {@render divider('Divider between the walk view and the tray', !tall)}
        </span>
        <Pane defaultSize={walks ? 100 - usual[1] : 100} minSize={0} collapsible>
          <aside
            bind:this={aside}
            class="h-full scroll-pb-16 overflow-y-auto bg-raised p-3.5"
            aria-label="Tray"
          >
            {@render tray()}
          </aside>
        </Pane>
      </PaneGroup>
    </Pane>
  </PaneGroup>
</div>
