<script lang="ts">
  /** How the shot is steered, and whether that is keyed. */
  import { Checkbox, Kbd } from 'flowbite-svelte';
  import Press from '../../../lib/Press.svelte';
  import { steering, type Step } from '../steering.svelte';
  import { project } from '../../../project/project.svelte';
  import { sizeOf } from '../../../views/camera';

  const size = $derived(project.reading?.camera ? sizeOf(project.reading.camera) : 1);
  const by = $derived(0.15 * size);
  const STEPS = $derived<[string, Step][]>([
    ['In', { forward_m: by }],
    ['Out', { forward_m: -by }],
    ['Left', { right_m: -by }],
    ['Right', { right_m: by }],
    ['Rise', { up_m: by }],
    ['Sink', { up_m: -by }],
    ['Turn left', { turn_deg: -2 }],
    ['Turn right', { turn_deg: 2 }],
  ]);
</script>

<div class="mt-3 flex items-center justify-between gap-2">
  <Checkbox bind:checked={steering.keys}>What is steered is keyed at once <Kbd>J</Kbd></Checkbox>
  {#if steering.pending.length && !steering.keys}
    <Press tight main onclick={() => void steering.key()}>Key it <Kbd>K</Kbd></Press>
    <Press tight onclick={() => steering.forget()}>Forget it</Press>
  {/if}
</div>
<p class="mt-1 text-[12px] text-quiet">
  Drag the shot to look round; <Kbd>Shift</Kbd> trucks and rises, <Kbd>Alt</Kbd> goes round what is under
  the pointer, the wheel pushes at it. Arrows step, <Kbd>Shift</Kbd> finely.
</p>
<div class="mt-1 grid grid-cols-4 gap-1" role="group" aria-label="Move the camera here">
  {#each STEPS as [label, step] (label)}
    <Press tight class="px-1 text-[12px]" onclick={() => steering.soon(step)}>{label}</Press>
  {/each}
</div>
