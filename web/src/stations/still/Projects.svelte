<script lang="ts">
  /** All projects, and the way in for a still. */
  import { Fileupload } from 'flowbite-svelte';
  import { onMount } from 'svelte';
  import { api, OURS, plateAddress, type ProjectOut } from '../../lib/api/client';
  import { route } from '../../project/route.svelte';
  import Ask from '../../lib/Ask.svelte';
  import Progress from '../../lib/Progress.svelte';
  import Press from '../../lib/Press.svelte';
  import Beginnings from './Beginnings.svelte';

  let projects = $state.raw<ProjectOut[] | null>(null);
  let coming = $state<string | null>(null);
  let trouble = $state('');
  let over = $state(false);
  let sent = $state<number | null>(null);
  let picker = $state<HTMLInputElement>();
  let sending: XMLHttpRequest | null = null;

  const UNREACHED = 'The server cannot be reached. Start it again; this page goes on by itself.';
  async function look() {
    try {
      const { data, error } = await api.GET('/api/projects');
      if (trouble === UNREACHED) trouble = '';
      if (data) [projects, coming] = [data.projects, data.coming];
      else trouble = (error as { message?: string } | undefined)?.message ?? UNREACHED;
    } catch {
      trouble = UNREACHED;
    }
  }
  onMount(() => {
    void look();
    // what the demo, another window or the command line brings in appears by itself
    const often = setInterval(() => coming && void look(), 1000);
    const now = setInterval(() => !document.hidden && void look(), 8000);
    return () => {
      clearInterval(often);
      clearInterval(now);
    };
  });

  /** Sent by hand, because fetch does not tell how far an upload has come. */
  function bring(file: File | undefined) {
    if (!file || sending) return;
    trouble = '';
    sent = 0;
    const body = new FormData();
    body.append('still', file);
    const x = (sending = new XMLHttpRequest());
    x.upload.onprogress = (e) => (sent = e.lengthComputable ? e.loaded / e.total : 0);
    x.onloadend = () => {
      sending = null;
      sent = null;
      if (x.status === 201) route.go(JSON.parse(x.responseText).id, 'still');
      else if (x.status) {
        try {
          trouble = JSON.parse(x.responseText).message;
        } catch {
          trouble = 'The still could not be brought in. Nothing was kept.';
        }
      }
    };
    x.onerror = () => (trouble = 'The still did not arrive; nothing was kept. Try again.');
    x.open('POST', '/api/stills');
    for (const [name, value] of Object.entries(OURS)) x.setRequestHeader(name, value);
    x.send(body);
  }

  async function remove(p: ProjectOut) {
    await api.DELETE('/api/projects/{id}', { params: { path: { id: p.id } } });
    await look();
  }
  let doomed = $state.raw<ProjectOut | null>(null);
  let asking = $state(false);
  const day = (s: string) =>
    new Date(s).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short', hour12: false });
</script>

<main
  class="h-full overflow-y-auto"
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={(e) => {
    e.preventDefault();
    over = false;
    bring(e.dataTransfer?.files[0]);
  }}
>
  <div class="mx-auto max-w-[1010px] px-6 py-9">
    <header class="mb-7 flex items-center gap-3">
      <img src="/lantern.svg" alt="" width="36" height="36" />
      <div>
        <h1 class="text-[22px] font-bold">Jade Lantern</h1>
        <p class="text-quiet">From one still to a moving shot.</p>
      </div>
    </header>

    <section
      class="rounded-xl border border-dashed px-6 py-8 text-center"
      class:border-line={!over}
      class:border-lantern={over}
      class:bg-raised={!over}
      class:bg-field={over}
      aria-label="Bring in a still"
    >
      {#if sent === null}
        <p class="text-[16px] font-semibold">Drop a still here to begin a project</p>
        <p class="mt-1 mb-4 text-quiet">
          PNG, JPEG, TIFF, WebP or EXR; or a movie. It stays on this machine, untouched.
        </p>
        <Press main class="px-5" onclick={() => picker?.click()}>Pick a still</Press>
        <Beginnings />
        <Fileupload
          bind:elementRef={picker}
          aria-label="Still"
          accept="image/png,image/jpeg,image/tiff,image/webp,.exr,.zip,video/*"
          onchange={(e) => {
            bring(e.currentTarget.files?.[0]);
            e.currentTarget.value = '';
          }}
        />
      {:else}
        <p class="mb-3 font-semibold">{sent < 1 ? 'Bringing it in…' : 'Reading the picture…'}</p>
        <Progress label="Upload" class="w-72" done={sent} />
        <p class="mt-3"><Press onclick={() => sending?.abort()}>Cancel</Press></p>
      {/if}
      {#if trouble}<p class="mt-4 text-warning" role="alert">{trouble}</p>{/if}
    </section>

    {#if coming}<p class="mt-6 text-center text-quiet" role="status">{coming}</p>{/if}
    {#if projects?.length}
      <h2 class="mt-9 mb-3 font-semibold">Projects</h2>
      <ul class="grid grid-cols-3 gap-4">
        {#each projects as p (p.id)}
          <li
            class="group relative overflow-hidden rounded-xl border border-line bg-raised hover:border-jade"
          >
            <a
              href="/project/{p.id}/still"
              class="block"
              onclick={(e) => {
                e.preventDefault();
                route.go(p.id, 'still');
              }}
            >
              {#if p.plate}
                <img
                  class="h-44 w-full bg-surround object-cover"
                  src={plateAddress(p.id, p.plate)}
                  alt=""
                />
              {:else}
                <span class="grid h-44 place-content-center bg-surround px-5 text-center"
                  >Damaged: its last step cannot be read. Open it to go back to one that can.</span
                >
              {/if}
              <span class="block px-3.5 pt-2.5 font-semibold">{p.name}</span>
              <span class="block px-3.5 pb-3 text-[12px] text-quiet"
                >{p.plate ? `${p.width}×${p.height} · ` : ''}{day(p.kept_at)}</span
              >
            </a>
            <Press
              kind="bare"
              class="absolute right-2 bottom-2.5 rounded px-2 py-1 text-[12px] text-quiet hover:bg-hover hover:text-warning"
              aria-label="Delete {p.name}"
              onclick={() => ((doomed = p), (asking = true))}>Delete</Press
            >
          </li>
        {/each}
      </ul>
    {/if}
    <footer class="mt-12 text-[12px] text-quiet">
      <a class="underline hover:text-ink" href="/third-party-notices.txt" target="_blank"
        >Third-party notices</a
      >
    </footer>
  </div>
</main>

<Ask
  title={`Delete “${doomed?.name ?? ''}”?`}
  words="Its history and deliveries go with it. This cannot be undone."
  yes="Delete it"
  bind:open={asking}
  onyes={() => doomed && void remove(doomed)}
/>
