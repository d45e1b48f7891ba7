<script lang="ts">
  /** Both views side by side, drawn on one canvas, with one copy of the plate. */
  import { onMount } from 'svelte';
  import { Pane, PaneGroup, PaneResizer } from 'paneforge';
  import { project } from '../lib/project.svelte';
  import LensView from './LensView.svelte';
  import { Paper } from './paper';
  import { Plate } from './plate';
  import { Screen } from './screen';
  import type { Station } from './station';
  import WalkView from './WalkView.svelte';

  let { station }: { station: Station } = $props();
  let canvas: HTMLCanvasElement;
  let shared = $state.raw<{ screen: Screen; paper: Paper; plate: Plate } | null>(null);
  let arrived = $state(0); // counts what has come of the plate
  let trouble = $state<string | null>(null);

  onMount(() => {
    const { digest, width, height } = project.scene!.plate;
    const screen = new Screen(canvas);
    const paper = new Paper();
    const plate = new Plate(
      project.state!.id,
      digest,
      width,
      height,
      screen.renderer,
      paper,
      () => arrived++,
      (words) => (trouble = words),
    );
    shared = { screen, paper, plate };
    return () => {
      plate.dispose();
      paper.dispose();
      screen.dispose();
    };
  });
</script>

<div class="relative min-w-0 flex-1">
  <canvas bind:this={canvas} class="absolute inset-0 h-full w-full"></canvas>
  <PaneGroup direction="horizontal" autoSaveId="views" class="relative">
    <Pane defaultSize={64} minSize={0} collapsible>
      {#if shared}<LensView {...shared} {station} {arrived} {trouble} />{/if}
    </Pane>
    <PaneResizer
      class="grid w-[5px] place-content-center bg-ground hover:bg-hover"
      aria-label="Divider between the views"
    >
      <span class="h-9 w-[3px] rounded bg-line"></span>
    </PaneResizer>
    <Pane defaultSize={36} minSize={0} collapsible>
      {#if shared}<WalkView {...shared} {station} {arrived} />{/if}
    </Pane>
  </PaneGroup>
</div>
