<script lang="ts">
  /** Another picture in the still's place: the one that was awaited, or a newer one; and the earlier
   *  ones, which are kept. */
  import type { Plate } from '../../lib/api/client';
  import FileField from '../../lib/FileField.svelte';
  import Press from '../../lib/Press.svelte';
  import Sheet from '../../lib/Sheet.svelte';
  import { project } from '../../project/project.svelte';

  let { plate, main = false }: { plate: Plate; main?: boolean } = $props();

  const earlier = $derived(project.scene?.stills.earlier ?? []);
  let picker = $state<HTMLInputElement>();
  let waiting = $state.raw<{ file: File; size: string } | null>(null);
  let asking = $state(false);

  const SHOWS = [
    ['more', 'More than the frame', 'All that was there stays in it; the frame grows.'],
    ['part', 'A part of the frame', 'Its middle, as large as it goes in; the frame is cut.'],
    ['pulled', 'The frame, pulled', 'It is stretched to the shape that the frame has.'],
  ] as const;

  /** Pictures whose size a browser cannot tell are asked about by the server. */
  async function take(file: File) {
    const found = await createImageBitmap(file).catch(() => null);
    if (found) {
      const off = Math.abs(found.height - (plate.height * found.width) / plate.width);
      const size = `${found.width} × ${found.height}`;
      const other = off > Math.max(1, found.width / plate.width);
      found.close();
      if (!other) return void (await bring(file));
      waiting = { file, size };
      asking = true;
    } else if (!(await bring(file)) && project.notice?.text.includes('of another shape')) {
      waiting = { file, size: 'of another shape' };
      asking = true;
    }
  }
  async function bring(file: File, shows?: string): Promise<boolean> {
    asking = false;
    return (await project.send('still', shows ? { file, shows } : { file })) !== null;
  }
</script>

<Press {main} class="w-full" onclick={() => picker?.click()}
  >{plate.awaited ? 'Bring in its picture…' : 'A newer one in its place…'}</Press
>
<FileField
  label="Picture in the still’s place"
  accept="image/png,image/jpeg,image/tiff,image/webp,.exr,.zip,video/*"
  bind:element={picker}
  take={(file) => void take(file)}
/>
{#if earlier.length}
  <ul class="mt-2" aria-label="Earlier stills">
    {#each earlier as one, i (one.plate.digest)}
      <li class="flex items-center justify-between gap-2 py-0.5 text-[12px]">
        <span class="truncate text-quiet"
          >{one.plate.name} <span class="num">{one.plate.width}×{one.plate.height}</span></span
        >
        <Press
          class="min-h-6 py-0 text-[12px]"
          onclick={() => project.keep({ verb: 'BringStillBack', number: i })}>Bring back</Press
        >
      </li>
    {/each}
  </ul>
{/if}

<Sheet title="It is of another shape" bind:open={asking}>
  <p class="mb-3 text-quiet">
    {waiting?.file.name} is {waiting?.size}, and the frame {plate.width} × {plate.height}. What does
    it show?
  </p>
  {#each SHOWS as [shows, label, words] (shows)}
    <Press class="mt-1.5 w-full" onclick={() => waiting && bring(waiting.file, shows)}
      >{label}</Press
    >
    <p class="mt-0.5 text-[12px] text-quiet">{words}</p>
  {/each}
</Sheet>
