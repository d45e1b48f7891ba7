<script lang="ts">
  /** A blocking in and out of files. */
  import { Fileupload, Select } from 'flowbite-svelte';
  import { project } from '../../../project/project.svelte';
  import Section from '../../../lib/Section.svelte';
  import Press from '../../../lib/Press.svelte';

  const UNITS: [string, number | null][] = [
    ['as the file says', null],
    ['metres', 1],
    ['centimetres', 0.01],
    ['millimetres', 0.001],
    ['inches', 0.0254],
    ['feet', 0.3048],
  ];
  let unit = $state(0);
  let busy = $state(false);
  let input = $state<HTMLInputElement>();

  async function bring() {
    const file = input?.files?.[0];
    if (!file) return;
    busy = true;
    await project.bring(file, UNITS[unit][1]);
    busy = false;
    if (input) input.value = '';
  }
</script>

<Section title="In and out">
  <div class="flex items-center gap-1">
    <Press tight class="flex-1" disabled={busy} onclick={() => input?.click()}
      >{busy ? 'Bringing in …' : 'Bring in GLB, OBJ or USD'}</Press
    >
    <Select placeholder="" aria-label="Units of the file" bind:value={unit}>
      {#each UNITS as [label], i (label)}<option value={i}>{label}</option>{/each}
    </Select>
    <Fileupload
      bind:elementRef={input}
      accept=".glb,.gltf,.obj,.usd,.usda,.usdc,.usdz"
      aria-label="A blocking's file"
      onchange={() => void bring()}
    />
  </div>
  <p class="mt-1 flex gap-3 text-[12px]">
    <span class="text-quiet">Take all out as</span>
    {#each ['glb', 'obj', 'usda'] as kind (kind)}
      <a
        class="underline hover:text-lantern"
        href="/api/projects/{project.state!.id}/blocking.{kind}"
        download>{kind.toUpperCase()}</a
      >
    {/each}
  </p>
</Section>
