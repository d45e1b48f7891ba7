<script lang="ts">
  import { untrack } from 'svelte';
  import { Kbd } from 'flowbite-svelte';
  import Advice from '../../lib/Advice.svelte';
  import Foot from '../../lib/Foot.svelte';
  import Press from '../../lib/Press.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import Drive from './panels/Drive.svelte';
  import Format from './panels/Format.svelte';
  import Helps from './panels/Helps.svelte';
  import Limits from './panels/Limits.svelte';
  import Moving from './panels/Moving.svelte';
  import OneKey from './panels/OneKey.svelte';
  import Ready from './panels/Ready.svelte';
  import Shot from './panels/Shot.svelte';
  import Steer from './panels/Steer.svelte';
  import Tracks from './panels/Tracks.svelte';
  import { steering } from './steering.svelte';

  const scene = $derived(project.scene!);
  const keys = $derived(project.keys);
  const settled = $derived(project.reading?.settled ?? false);

  // what was steered at a frame and not keyed is gone with the frame
  $effect(() => {
    void playhead.frame;
    untrack(() => steering.forget());
  });
</script>

{#if !settled}
  <Advice><b>No camera yet.</b> The shot starts from the sighted camera.</Advice>
  <Press main class="mt-3 w-full" onclick={() => route.go(route.project, 'sight')}
    >Back to Sight</Press
  >
{:else}
  {#if !keys.length}
    <Advice>
      Make a <b>ready move</b>, or steer: drag the shot at one frame, go to another, and drag again.
    </Advice>
  {:else}
    <Advice>
      Play with <Kbd>Space</Kbd>. Drive it as far as it stands up, or steer it by hand.
    </Advice>
  {/if}
  {#if keys.length}<Drive />{/if}
  <Ready />
  <Steer />
  <Helps />
  <Limits />
  <OneKey />
  {#if keys.length}<Tracks />{/if}
  <Moving />
  <Format />
  <Shot />
  <Foot
    ><Press
      class="w-full"
      disabled={!(scene.proxies ?? []).length}
      onclick={() => route.go(route.project, 'deliver')}
      main={keys.length > 0}>On to Deliver</Press
    ></Foot
  >
{/if}
