<script lang="ts">
  import Foot from '../../lib/Foot.svelte';
  import Advice from '../../lib/Advice.svelte';
  import Diagnosis from '../../project/Diagnosis.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import Section from '../../lib/Section.svelte';
  import Beside from './Beside.svelte';
  import Compare from './Compare.svelte';
  import Footage from './Footage.svelte';
  import Glaze from './Glaze.svelte';
  import Lanterns from './Lanterns.svelte';
  import Paint from './Paint.svelte';
  import Sheet from './Sheet.svelte';
  import { show } from './show.svelte';
  import Split from './Split.svelte';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const proxies = $derived((scene.proxies ?? []).filter((p) => !p.hidden));
</script>

{#if proxies.length}
  <Split />
  <Lanterns />
  <Sheet />
  {#if scene.passed && scene.plate.playing}<Footage />{:else}<Beside />{/if}
  <Paint />
  <Glaze />
  <Section title="Where the trick would show" open={show.shot}><Diagnosis bare /></Section>
  <Compare />
{:else}
  <Advice><b>Nothing to cast on yet.</b> Stand proxies in Block first.</Advice>
{/if}

<Foot
  ><Press
    main
    class="w-full"
    disabled={!proxies.length}
    onclick={() => route.go(route.project, 'move')}>On to Move</Press
  ></Foot
>
