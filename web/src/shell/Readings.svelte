<script lang="ts">
  /** The numbers people check, always visible, with unit and uncertainty. */
  import { innerWidth } from 'svelte/reactivity/window';
  import { tip } from '../lib/tip';
  import { project } from '../project/project.svelte';
  import { length } from '../lib/units.svelte';
  import { aspect, plain, signed } from '../lib/words';

  const r = $derived(project.reading);
  const plate = $derived(project.scene!.plate);
  const worst = $derived(Math.max(0, ...(r?.traces ?? []).map((t) => t.misfit_px ?? 0)));
  const odd = $derived(r?.odd?.some((o) => o.includes('focal')) ?? false);
  const tall = $derived(r?.odd?.some((o) => o.includes('eye height')) ?? false);
  const cells = $derived([
    {
      label: 'Focal, 35 mm terms',
      value: r?.focal_35mm ? `${plain(r.focal_35mm.value, 1)} mm` : '—',
      note: r?.focal_35mm ? `± ${plain(r.focal_35mm.sigma, 1)} mm` : 'open',
      warn: odd,
      more: r?.focal_px ? `${plain(r.focal_px.value, 0)} ± ${plain(r.focal_px.sigma, 0)} px` : '',
    },
    {
      label: 'Tilt',
      value: r?.tilt_deg ? `${signed(r.tilt_deg.value)}°` : '—',
      note: r?.tilt_deg ? `± ${plain(r.tilt_deg.sigma)}°` : 'open',
    },
    {
      label: 'Roll',
      value: r?.roll_deg ? `${signed(r.roll_deg.value)}°` : '—',
      note: r?.roll_deg ? `± ${plain(r.roll_deg.sigma)}°` : 'open',
      more: r?.horizon_sigma_px != null ? `horizon ± ${plain(r.horizon_sigma_px, 1)} px` : '',
    },
    {
      label: 'Heading',
      value: r?.yaw_deg ? `${signed(r.yaw_deg.value)}°` : '—',
      note: r?.yaw_deg ? `± ${plain(r.yaw_deg.sigma)}° from Away` : 'open',
    },
    {
      label: 'Eye height',
      value: r?.eye_height_m ? length(r.eye_height_m.value) : '—',
      note: r?.eye_height_m
        ? r.eye_height_m.sigma > 0
          ? `± ${length(r.eye_height_m.sigma)}`
          : 'as given'
        : 'no size yet',
      warn: tall,
    },
    {
      label: 'Fit',
      value: r?.fit_px != null ? `${plain(r.fit_px)} px` : '—',
      note: r?.fit_px != null ? `worst ${plain(worst, 1)}` : '',
    },
    {
      label: 'Picture',
      value: `${plate.width}×${plate.height}`,
      note: `${aspect(plate.width, plate.height)} · ${plate.bits} bit`,
    },
  ]);
</script>

<footer
  class="flex h-[102px] shrink-0 border-t border-line bg-raised px-4 py-3"
  aria-label="Readings"
>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <dl
    class="flex min-w-0 flex-1 justify-between gap-3 max-[900px]:overflow-x-auto"
    tabindex={(innerWidth.current ?? 1280) < 900 ? 0 : undefined}
  >
    {#each cells as c (c.label)}
      <div>
        <dt class="text-[12px] whitespace-nowrap text-quiet">{c.label}</dt>
        <dd
          class="num mt-0.5 text-[17px] font-medium whitespace-nowrap"
          class:text-warning={c.warn}
        >
          {c.value}
        </dd>
        <dd class="num text-[12px] whitespace-nowrap text-quiet">{c.note}</dd>
        {#if c.more}<dd class="num text-[12px] whitespace-nowrap text-quiet">{c.more}</dd>{/if}
      </div>
    {/each}
  </dl>
  <div
    class="ml-3 w-[236px] shrink-0 border-l max-[1100px]:w-[190px] max-[900px]:w-[132px] border-line pl-4"
    role="group"
    aria-label="Verdict"
  >
    <div class="text-[12px] text-quiet">Sighting</div>
    <div
      class="text-[18px] font-bold"
      class:text-jade={r?.verdict === 'True' || r?.verdict === 'Fair'}
      class:text-warning={r?.verdict === 'Rough'}
      class:text-quiet={r?.verdict === 'Open'}
    >
      {r?.verdict ?? 'Open'}
    </div>
    <div class="line-clamp-2 text-[12px] leading-[16px] text-quiet" {...tip(r?.reason)}>
      {r?.reason}
    </div>
  </div>
</footer>
