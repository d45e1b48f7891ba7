<script lang="ts">
  /** What can be set on a lantern. */
  import type { Change, Lantern } from '../../lib/api/client';
  import NumberField from '../../project/NumberField.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import { borrowing } from './borrow.svelte';
  import Delivered from '../../project/Delivered.svelte';
  import { Delivery } from '../../project/delivery.svelte';
  import Playing from '../../project/Playing.svelte';
  import Crop from './Crop.svelte';
  import Off from './Off.svelte';
  import Picks from './Picks.svelte';
  import { show } from './show.svelte';
  import Press from '../../lib/Press.svelte';
  import Words from '../../lib/Words.svelte';

  let { lantern }: { lantern: Lantern } = $props();
  const at = $derived(project.scene!.lanterns.findIndex((l) => l.id === lantern.id));
  const footage = $derived(!!project.scene!.passed && !!project.scene!.plate.playing);
  const filmed = $derived(footage && !lantern.view && !lantern.plate);
  let picking = $state(false);
  const layers = new Delivery('gathered', () => project.state!.id);
  const EDGES = [
    ['stop', 'Stop'],
    ['hold', 'Hold the edge'],
    ['mirror', 'Mirror'],
  ] as const;

  const set = (to: Record<string, unknown>) =>
    project.keep({ verb: 'AlterLantern', lantern: lantern.id, to });

  /** What takes a while, and says in its title what came of it. */
  async function tell(change: Change) {
    if (await project.keep(change)) project.say(`${project.state?.undo ?? ''}.`);
  }
  function earlier() {
    const before = project.scene!.lanterns;
    void project.keep({
      verb: 'MoveLantern',
      lantern: lantern.id,
      before: before[at - 1]?.id ?? null,
    });
  }
  async function remove() {
    if (await project.keep({ verb: 'DeleteLantern', lantern: lantern.id })) selection.clear();
  }
</script>

<div class="mt-1.5 rounded-md border border-line p-2" role="group" aria-label={lantern.name}>
  <div class="flex items-center gap-1.5">
    <Words
      class="flex-1"
      aria-label="Lantern’s name"
      value={lantern.name}
      onkeep={(name) => name && void set({ name })}
    />
    <Press
      tight
      aria-pressed={show.only === lantern.id}
      onclick={() => (show.only = show.only === lantern.id ? null : lantern.id)}>Only this</Press
    >
  </div>
  <p class="mt-2 mb-1 text-[12px] text-quiet">Thrown from</p>
  <div class="grid grid-cols-2 gap-1" role="group" aria-label="Thrown from">
    <Press tight aria-pressed={!lantern.view} onclick={() => lantern.view && set({ view: null })}
      >{footage ? 'The footage’s camera' : 'The sighted camera'}</Press
    >
    <Press
      tight
      aria-pressed={!!lantern.view}
      title="From where the shot camera is at the frame that is looked at, through its lens"
      onclick={() =>
        project.keep({ verb: 'PlaceLantern', lantern: lantern.id, frame: playhead.frame })}
      >{lantern.view ? 'Its own place' : `The shot at frame ${playhead.numbered()}`}</Press
    >
  </div>
  {#if filmed}
    <div class="mt-1 grid grid-cols-2 gap-1" role="group" aria-label="Over time">
      <Press
        tight
        aria-pressed={lantern.held == null}
        title="Each frame of the footage from where it was taken"
        onclick={() => lantern.held != null && set({ held: null })}>Along with its camera</Press
      >
      <Press
        tight
        aria-pressed={lantern.held != null}
        title="One frame of the footage, from where that was taken, all through the shot"
        onclick={() => lantern.held == null && set({ held: playhead.frame })}
        >{lantern.held == null
          ? `Held at frame ${playhead.numbered()}`
          : `Held at ${playhead.numbered(lantern.held)}`}</Press
      >
    </div>
    {#if lantern.held != null && lantern.held !== playhead.frame}
      <Press tight class="mt-1 w-full" onclick={() => set({ held: playhead.frame })}
        >Hold frame {playhead.numbered()} instead</Press
      >
    {/if}
  {:else if footage && lantern.view}
    <Press
      tight
      class="mt-1 w-full"
      title="One picture of all that the footage saw of what this lantern sees, without who passes by"
      onclick={() => tell({ verb: 'Gather', lantern: lantern.id })}
      >Gather it from the footage</Press
    >
    <Press
      tight
      class="mt-1 w-full"
      disabled={layers.making}
      title="What was gathered over what each frame throws by itself, as layers; which frame gave each place, and how far frames are apart"
      onclick={() => layers.make()}>Its layers, to paint on</Press
    >
    <Delivered of={layers} making="Gathering in layers" fetch="Fetch the layers" />
  {/if}
  {#if lantern.plate && !lantern.plate.playing && !project.scene!.plate.playing}
    <Press
      tight
      class="mt-1 w-full"
      title="Match it, as another photograph of the place, against what stands and is thrown already"
      onclick={() => tell({ verb: 'PlacePhotograph', lantern: lantern.id, picks: [] })}
      >Find where it was photographed</Press
    >
    <Press
      tight
      class="mt-1 w-full"
      title="Where too little is found by itself: three to six places that both show"
      onclick={() => (picking = true)}>By places that both show…</Press
    >
    <Picks
      {lantern}
      bind:open={picking}
      placed={() => project.say(`${project.state?.undo ?? ''}.`)}
    />
    {#if lantern.view}<Off {lantern} />{/if}
  {/if}
  {#if lantern.plate?.playing}
    {@const { digest, playing } = lantern.plate}
    <div class="mt-1.5" role="group" aria-label="When it plays">
      <Playing
        {playing}
        play={(all) => project.keep({ verb: 'Play', plate: digest, ...all } as Change)}
      />
      <Press
        tight
        class="mt-1 w-full"
        title="One of its pictures as a still; what plays is kept behind it"
        onclick={() =>
          project.keep({ verb: 'TakePicture', lantern: lantern.id, frame: playhead.frame })}
        >Only its picture at frame {playhead.numbered()}</Press
      >
    </div>
  {/if}
  {#if lantern.plate}<Crop {lantern} plate={lantern.plate} {set} />{/if}
  <p class="mt-2 mb-1 text-[12px] text-quiet">Past the edge of its plate</p>
  <div class="grid grid-cols-3 gap-1" role="group" aria-label="Past the edge of its plate">
    {#each EDGES as [edge, label] (edge)}
      <Press tight aria-pressed={(lantern.edge ?? 'stop') === edge} onclick={() => set({ edge })}
        >{label}</Press
      >
    {/each}
  </div>
  <p class="mt-2 mb-1 text-[12px] text-quiet">It lands</p>
  <div class="grid grid-cols-2 gap-1" role="group" aria-label="Where it lands">
    <Press
      tight
      aria-pressed={lantern.through === false}
      title="Where a nearer proxy of its own stands before a place, it does not land there"
      onclick={() => set({ through: false })}>On what it sees first</Press
    >
    <Press
      tight
      aria-pressed={lantern.through !== false}
      title="It also lands on what is hidden from it"
      onclick={() => set({ through: true })}>Through all</Press
    >
  </div>
  <div class="mt-1.5">
    <NumberField
      label="Strength"
      unit="%"
      places={0}
      step={5}
      min={0}
      value={100 * (lantern.strength ?? 1)}
      onkeep={(v) => set({ strength: Math.min(v / 100, 1) })}
    />
  </div>
  {#if !lantern.view || lantern.plate}
    <Press
      tight
      class="mt-1.5 w-full"
      aria-pressed={borrowing.lantern === lantern.id}
      title="Cover something with what lies elsewhere on the same plane, in perspective"
      onclick={() => {
        show.shot = false;
        borrowing.begin(lantern.id);
      }}>Borrow a patch</Press
    >
    {#if borrowing.lantern === lantern.id}
      <p class="mt-1 text-[12px] text-lantern" role="status">
        {borrowing.busy
          ? 'Taking it …'
          : borrowing.closed
            ? 'Drag the outline to where the patch is taken from.'
            : 'Draw round what is to be hidden.'}
      </p>
    {/if}
  {/if}
  {#if lantern.mask}
    <p class="mt-1.5 flex items-center gap-2 text-[12px]">
      <span class="min-w-0 flex-1 truncate">Masked by {lantern.mask.name}</span>
      <Press tight onclick={() => set({ mask: null })}>Take the mask off</Press>
    </p>
  {/if}
  {#if lantern.earlier?.length}
    <p class="mt-2 mb-1 text-[12px] text-quiet">Earlier paint</p>
    <ul>
      {#each lantern.earlier as plate, n (plate.digest)}
        <li class="flex items-center gap-2 text-[12px]">
          <span class="min-w-0 flex-1 truncate">{lantern.earlier.length - n} {plate.name}</span>
          <Press
            tight
            onclick={() => project.keep({ verb: 'UseEarlier', lantern: lantern.id, number: n })}
            >Throw it again</Press
          >
        </li>
      {/each}
    </ul>
  {/if}
  <div class="mt-2 grid grid-cols-2 gap-1">
    <Press tight disabled={at < 1} onclick={earlier}>Move it forward</Press>
    <Press tight onclick={remove}>Delete</Press>
  </div>
</div>
