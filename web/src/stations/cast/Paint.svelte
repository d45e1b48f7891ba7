<script lang="ts">
  /** Paint: filled in roughly until it comes, sent out as a kit, and brought back by name. */
  import { Fileupload } from 'flowbite-svelte';
  import Delivered from '../../project/Delivered.svelte';
  import { Delivery } from '../../project/delivery.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import Section from '../../lib/Section.svelte';
  import Progress from '../../lib/Progress.svelte';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const lacking = $derived(
    scene.lanterns.filter((l) => l.stand_in && !l.view && !l.window).map((l) => l),
  );
  const unfilled = $derived(lacking.filter((l) => !l.plate));

  let filling = $state.raw<{ done: number; all: number; name: string } | null>(null);
  let stop = false;
  async function fill() {
    const todo = (unfilled.length ? unfilled : lacking).map((l) => [l.id, l.name] as const);
    stop = false;
    for (const [n, [lantern, name]] of todo.entries()) {
      if (stop) break;
      filling = { done: n, all: todo.length, name };
      if (!(await project.keep({ verb: 'Fill', lanterns: [lantern] }))) break;
    }
    filling = null;
  }

  const kit = new Delivery('kit', () => project.state!.id);

  let brought = $state.raw<
    { file: string; lantern: string | null; said: string[]; done: string[] }[]
  >([]);
  let coming = $state(false);
  let over = $state(false);
  let chooser: HTMLInputElement | undefined = $state();
  async function bring(files: FileList | null | undefined) {
    const list = [...(files ?? [])];
    if (!list.length) return;
    coming = true;
    brought = (await project.paint(list, playhead.frame)) ?? [];
    coming = false;
  }
  const carries = (e: DragEvent) => !!e.dataTransfer?.types.includes('Files');
</script>

<svelte:window
  ondragover={(e) => {
    if (!carries(e)) return;
    e.preventDefault();
    over = true;
  }}
  ondragleave={(e) => {
    if (!e.relatedTarget) over = false;
  }}
  ondrop={(e) => {
    if (!carries(e)) return;
    e.preventDefault();
    over = false;
    void bring(e.dataTransfer?.files);
  }}
/>

{#if over}
  <div
    class="pointer-events-none fixed inset-3 z-50 grid place-items-center rounded-xl border-2 border-dashed border-lantern bg-ground/70 text-lg"
  >
    Let go: each file finds its lantern by its name
  </div>
{/if}

<Section
  title="Paint"
  open
  note={lacking.length ? `${lacking.length} not painted yet` : ''}
  warns={lacking.length > 0}
>
  {#if filling}
    <div class="flex items-center gap-2" role="status">
      <span class="min-w-0 flex-1 truncate"
        >Filling {filling.name}
        <span class="num text-quiet">{filling.done + 1} of {filling.all}</span></span
      >
      <Press tight onclick={() => (stop = true)}>Stop</Press>
    </div>
    <Progress label="Filling" done={filling.done} all={filling.all} />
  {:else if lacking.length}
    <Press
      class="w-full"
      title="From what shows beside it on each surface, as a stand-in until paint comes"
      onclick={fill}
      >{unfilled.length
        ? `Fill in roughly what is hidden (${unfilled.length})`
        : 'Fill in anew'}</Press
    >
  {/if}
  <div class="mt-1.5 grid grid-cols-2 gap-1.5">
    <Press disabled={kit.making} onclick={() => kit.make()}>Make the paint kit</Press>
    <Press disabled={coming} onclick={() => chooser?.click()}
      >{coming ? 'Taking in …' : 'Bring paint back'}</Press
    >
  </div>
  <Fileupload
    bind:elementRef={chooser}
    multiple
    aria-label="Painted plates"
    accept=".png,.tif,.tiff,.exr,.jpg,.jpeg,.webp,.ora,.glb,.mp4,.mov,.mkv,.webm"
    onchange={(e) => {
      void bring(e.currentTarget.files);
      e.currentTarget.value = '';
    }}
  />
  <Delivered of={kit} making="Making the paint kit" fetch="Fetch the paint kit" />
  {#if brought.length}
    <ul class="mt-1.5 text-[12px]" aria-label="What came back">
      {#each brought as one (one.file)}
        <li class="py-0.5">
          <b>{one.file}</b>
          {#if one.lantern}<span class="text-quiet">for</span> {one.lantern}{:else}<span
              class="text-warning">left out</span
            >{/if}
          {#each one.done as words (words)}<span class="block text-quiet">{words}</span>{/each}
          {#each one.said as words (words)}<span class="block text-warning">{words}</span>{/each}
        </li>
      {/each}
    </ul>
  {:else}
    <p class="mt-1 text-[12px] text-quiet">
      Painted files can be dropped anywhere here: they find their lantern by their name. A file
      “NAME mask” is its mask; the cameras of a GLB become lanterns; of a movie, frame
      {playhead.frame} is taken, as in the shot.
    </p>
  {/if}
</Section>
