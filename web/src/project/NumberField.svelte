<script lang="ts">
  /** A number with its unit; a length in the units that are chosen, typed in any. Enter or leaving keeps it; Escape puts the old one back. Undo is the project's while nothing is typed. */
  import { Input } from 'flowbite-svelte';
  import { arithmetic } from '../lib/arithmetic';
  import { project } from './project.svelte';
  import { chosen, feet, metres } from '../lib/units.svelte';

  let {
    label,
    value,
    unit = '',
    places = 2,
    step = 0.1,
    min,
    onkeep,
    ontry,
    disabled = false,
    length = false,
  }: {
    label: string;
    value: number | null | undefined;
    unit?: string;
    places?: number;
    step?: number;
    min?: number;
    onkeep: (value: number) => void;
    ontry?: (value: number) => void;
    disabled?: boolean;
    length?: boolean;
  } = $props();

  const id = $props.id();
  let typed = $state<string | null>(null);
  const inFeet = $derived(length && chosen.units === 'feet');
  const print = (v: number) => (inFeet ? feet(v) : v.toFixed(places));
  const shown = $derived(typed ?? (value == null ? '' : print(value)));
  const wrong = $derived(typed !== null && typed.trim() !== '' && read(typed) === null);

  function read(text: string): number | null {
    return arithmetic(text, (term) => {
      if (length) return metres(term);
      const v = Number(term.trim().replace(',', '.'));
      return term.trim() === '' || !Number.isFinite(v) ? null : v;
    });
  }
  function keep() {
    if (typed === null) return;
    const v = read(typed);
    typed = null;
    if (v !== null && (value == null || print(v) !== print(value))) onkeep(v);
  }
  function keys(event: KeyboardEvent) {
    if (!event.altKey) event.stopPropagation();
    const undoes = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z';
    if (undoes && typed === null) {
      // with nothing typed there is nothing of its own to undo
      event.preventDefault();
      void (event.shiftKey ? project.redo() : project.undo());
    } else if (event.key === 'Enter') keep();
    else if (event.key === 'Escape') {
      typed = null;
      (event.target as HTMLInputElement).blur();
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      const by = step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowUp' ? 1 : -1);
      const next = (read(shown) ?? 0) + by;
      if (min !== undefined && next < min) return;
      event.preventDefault();
      typed = print(next);
      ontry?.(next);
    }
  }
</script>

<div class="flex items-center justify-between gap-2 py-0.5">
  <label for={id} class="text-quiet">{label}</label>
  <span class="flex items-center gap-1">
    <Input
      class={['num w-24! text-right', wrong && 'border-warning']}
      {id}
      inputmode="decimal"
      autocomplete="off"
      {disabled}
      aria-invalid={wrong}
      value={shown}
      oninput={(e) => (typed = (e.currentTarget as HTMLInputElement).value)}
      onfocus={(e) => (e.currentTarget as HTMLInputElement).select()}
      onblur={keep}
      onkeydown={keys}
    />
    <span class="w-6 text-[12px] text-quiet">{length ? (inFeet ? 'ft in' : 'm') : unit}</span>
  </span>
</div>
