<script lang="ts">
  /** The lanterns: their plates, and what is set on the one that is chosen. */
  import Heading from '../../lib/Heading.svelte';
  import { plateAddress, type Lantern } from '../../lib/api/client';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import OneLantern from './OneLantern.svelte';
  import { show } from './show.svelte';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const lanterns = $derived(scene.lanterns);
  const chosen = $derived(lanterns.find((l) => l.id === selection.one('lantern')) ?? null);

  function state(lantern: Lantern): [string, boolean] {
    const [words, warns] = plate(lantern);
    return [words + (lantern.view ? ' · own place' : ''), warns];
  }
  function plate(lantern: Lantern): [string, boolean] {
    if (lantern.view && !lantern.plate) return ['to paint', true];
    if (lantern.stand_in) return [lantern.plate ? 'stand-in' : 'to paint', true];
    if (!lantern.plate) return ['the still', false];
    if (lantern.plate.playing) return [`plays ${lantern.plate.playing.count}`, false];
    return [`paint ${(lantern.earlier?.length ?? 0) + 1}`, false];
  }
  const digest = (lantern: Lantern) => lantern.plate?.digest ?? scene.plate.digest;

  const wide = () => project.keep({ verb: 'AddWide', frame: 0, name: 'wide' });
  function add() {
    void project.keep({ verb: 'AddLantern', name: 'lantern' });
  }
</script>

<section aria-label="Lanterns">
  <Heading>Lanterns <small>thrown from the sighted camera unless said</small></Heading>
  <ul class="flex gap-1.5 overflow-x-auto pb-1">
    {#each lanterns as lantern, i (lantern.id)}
      {@const [words, warns] = state(lantern)}
      <li class="w-[104px] shrink-0">
        <Press
          kind="bare"
          class="block w-full rounded-md border border-line bg-raised p-1 text-left hover:border-quiet aria-pressed:border-lantern"
          aria-pressed={chosen?.id === lantern.id}
          aria-label={`Lantern ${i + 1}, ${lantern.name}: ${words}`}
          onclick={() => selection.toggle('lantern', lantern.id)}
        >
          <img
            class="h-[46px] w-full rounded-sm bg-surround object-cover"
            src={plateAddress(project.state!.id, digest(lantern))}
            alt=""
          />
          <span class="mt-1 flex items-baseline gap-1 text-[12px]">
            <b class="num">{i + 1}</b> <span class="min-w-0 flex-1 truncate">{lantern.name}</span>
          </span>
          <span class="block text-[12px] {warns ? 'text-warning' : 'text-quiet'}">{words}</span>
        </Press>
      </li>
    {/each}
    <li class="grid w-[64px] shrink-0 grid-rows-2 gap-1">
      <Press
        tight
        class="h-full w-full"
        aria-label="Add a lantern"
        title="Add a lantern on the still"
        onclick={add}>Add</Press
      >
      <Press
        tight
        class="h-full w-full"
        title="A lantern behind the shot’s first frame that sees all that the shot will see"
        onclick={wide}>Wide</Press
      >
    </li>
  </ul>
  {#if chosen}
    {#key chosen.id}<OneLantern lantern={chosen} />{/key}
  {/if}
  {#if show.only}
    <p class="mt-1 text-[12px] text-lantern">
      Only {lanterns.find((l) => l.id === show.only)?.name ?? 'one lantern'} is shown.
      <Press kind="bare" class="underline" onclick={() => (show.only = null)}>Show all</Press>
    </p>
  {/if}
</section>
