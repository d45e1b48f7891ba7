<script lang="ts">
  /** The tracks of the shot over its frames, as curves with their keys: a key is drawn along to
   *  another frame, and up or down to another value. */
  import type { Change } from '../../../lib/api/client';
  import Press from '../../../lib/Press.svelte';
  import Section from '../../../lib/Section.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import type { Point3 } from '../../../views/hand';
  import { group } from '../../shot/group.svelte';
  import { bentKey, curvesOf, type Curve } from '../curves';

  const HIGH = 40;
  const move = $derived(project.scene!.move);
  const last = $derived(Math.max((move.frames ?? 96) - 1, 1));
  const curves = $derived(curvesOf(project.shot, project.reading?.camera ?? null, move));
  interface Held {
    of: Curve;
    frame: number;
    line: number;
    at: number;
    from: [number, number];
  }
  let held = $state.raw<Held | null>(null);

  const x = (frame: number) => (frame / last) * 100;
  const y = (of: Curve, value: number) =>
    HIGH - 4 - ((value - of.low) / (of.high - of.low)) * (HIGH - 8);

  /** The track with its key taken to another frame, and to another value on one of its lines. */
  function bent(e: PointerEvent): Change | null {
    const { of, frame, line, from } = held!;
    const box = (e.currentTarget as SVGElement).getBoundingClientRect();
    const to = Math.round(
      Math.min(Math.max(frame + ((e.clientX - from[0]) / box.width) * last, 0), last),
    );
    held = { ...held!, at: to };
    const keys = move[of.track] ?? [];
    if (keys.some((k) => k.frame === to && k.frame !== frame)) return null;
    const up = ((from[1] - e.clientY) / (HIGH - 8)) * (of.high - of.low);
    // what is drawn is made by the move's amount, the keys are not
    const by = e.shiftKey ? 0 : up / Math.max(move.amount ?? 1, 0.01);
    const from_ = project.keys.find((k) => k.frame === frame)?.position as Point3 | undefined;
    return {
      verb: 'SetShotTrack',
      of: of.track,
      keys: keys.map((k) =>
        k.frame !== frame ? k : { ...bentKey(of.track, k, line, by, from_), frame: to },
      ),
    } as Change;
  }
  const SPAN = [
    ['first', 'From'],
    ['last', 'To'],
    ['to_first', 'go to'],
    ['to_last', 'and'],
  ] as const;
  const retime = (copies: boolean) => project.keep(group.change(copies));
</script>

<Section title="Tracks" note="{curves.reduce((n, c) => n + (move[c.track]?.length ?? 0), 0)} keys">
  {#each curves as of (of.track)}
    <div class="mb-1.5">
      <div class="flex justify-between text-[12px] text-quiet">
        <span>{of.title}</span><span class="num">{of.says(playhead.frame)}</span>
      </div>
      <svg
        class="block w-full touch-none rounded bg-field"
        height={HIGH}
        viewBox="0 0 100 {HIGH}"
        preserveAspectRatio="none"
        role="group"
        aria-label="{of.title} over time"
        onpointermove={(e) => {
          if (!held || held.of.track !== of.track) return;
          const change = bent(e);
          if (change) project.try(change);
        }}
        onpointerup={(e) => {
          if (!held) return;
          const change = bent(e);
          held = null;
          if (change) void project.keep(change);
          else project.drop();
        }}
        onpointercancel={() => {
          held = null;
          project.drop();
        }}
      >
        {#each of.lines as line, i (i)}
          <polyline
            points={line
              .map((v, f) => `${x((f * last) / (line.length - 1))},${y(of, v)}`)
              .join(' ')}
            fill="none"
            stroke={of.tones[i]}
            stroke-width="1.4"
            vector-effect="non-scaling-stroke"
          />
        {/each}
        <line
          x1={x(playhead.at)}
          x2={x(playhead.at)}
          y1="0"
          y2={HIGH}
          stroke="var(--color-lantern)"
          vector-effect="non-scaling-stroke"
        />
        {#each of.keys as key (`${key.frame}.${key.line}`)}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <ellipse
            class="cursor-grab"
            cx={x(held?.of.track === of.track && held.frame === key.frame ? held.at : key.frame)}
            cy={y(of, key.value)}
            rx="1.3"
            ry="4.5"
            fill={key.frame === playhead.frame ? 'var(--color-lantern)' : of.tones[key.line]}
            stroke="var(--color-ground)"
            vector-effect="non-scaling-stroke"
            onpointerdown={(e) => {
              e.currentTarget.ownerSVGElement!.setPointerCapture(e.pointerId);
              playhead.at = key.frame;
              const from: [number, number] = [e.clientX, e.clientY];
              held = { of, frame: key.frame, line: key.line, at: key.frame, from };
            }}
          />
        {/each}
      </svg>
    </div>
  {/each}
  <p class="mt-1 font-medium">Keys as a group</p>
  <div class="grid grid-cols-2 gap-x-3">
    {#each SPAN as [name, label] (name)}
      <NumberField
        {label}
        places={0}
        step={1}
        min={0}
        value={playhead.numbered(group[name])}
        onkeep={(v) => (group[name] = playhead.frameOf(v))}
      />
    {/each}
  </div>
  <div class="mt-1 grid grid-cols-2 gap-1.5">
    <Press tight onclick={() => retime(false)}>Move or stretch them</Press>
    <Press tight onclick={() => retime(true)}>Copy them there</Press>
  </div>
</Section>
