<script lang="ts">
  import Advice from '../../lib/Advice.svelte';
  import Foot from '../../lib/Foot.svelte';
  import Press from '../../lib/Press.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import Darkening from './Darkening.svelte';
  import Guests from './Guests.svelte';
  import HoldOuts from './HoldOuts.svelte';
  import Haze from './Haze.svelte';
  import Lights from './Lights.svelte';
  import Look from './Look.svelte';
  import Reliefs from './Reliefs.svelte';

  const scene = $derived(project.scene!);
  const dressed = $derived(
    scene.guests.length > 0 ||
      scene.lights.length > 0 ||
      !!scene.haze ||
      !!scene.darkening ||
      !!scene.look,
  );
</script>

{#if !scene.proxies.length}
  <Advice><b>Nothing stands yet.</b> Light falls on what stands: block the place first.</Advice>
  <Press main class="mt-3 w-full" onclick={() => route.go(route.project, 'block')}
    >Back to Block</Press
  >
{:else}
  {#if !dressed}
    <Advice>
      Stand <b>guests</b> in the place: a model, a clip on a card, words. Let a <b>lamp</b> or a
      <b>sun</b> fall on it all, hang haze between near and far, and give it one look. With nothing dressed
      the frame is the picture’s own.
    </Advice>
  {/if}
  <Guests />
  <Lights />
  <HoldOuts />
  <Reliefs />
  <Darkening />
  <Haze />
  <Look />
  <Foot
    ><Press class="w-full" main={dressed} onclick={() => route.go(route.project, 'deliver')}
      >On to Deliver</Press
    ></Foot
  >
{/if}
