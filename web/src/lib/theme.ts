/** How the library's components look here: the one place where colours, radii and heights of
 *  controls are written. What a kind of control has of its own comes after what all have. */
import type { ThemeConfig } from 'flowbite-svelte';

const FIELD =
  'rounded-md border-line bg-field text-[13px] text-ink placeholder:text-quiet ' +
  'focus:border-lantern focus:ring-0';
const TICK =
  'me-0 rounded border-line bg-field text-jade focus:ring-0 focus:ring-offset-0 ' +
  'disabled:opacity-45';

export const theme: ThemeConfig = {
  input: { base: 'w-auto min-w-0', input: `h-7 px-2 py-0 ${FIELD}` },
  select: { base: 'w-fit min-w-0', select: `h-7 py-0 ps-2 pe-7 ${FIELD}` },
  checkbox: { base: TICK, div: 'gap-1.5 text-[13px] font-normal text-inherit' },
  label: 'text-[13px] font-normal text-inherit',
  range: 'h-1.5 rounded-full bg-hover accent-jade',
  modal: {
    base: 'divide-line border-line bg-raised text-ink',
    header: 'p-3.5 text-ink md:p-3.5',
    body: 'p-3 text-ink md:p-3',
  },
  commandPalette: {
    base: 'mt-12 max-w-xl rounded-md border border-line bg-raised text-ink ring-0',
    search: 'h-9 bg-field text-ink placeholder:text-quiet focus:ring-0',
    list: 'max-h-[60vh] border-line',
    item:
      'px-3 py-1 text-ink aria-selected:bg-hover aria-selected:text-lantern ' +
      '[&>div>div]:flex [&>div>div]:justify-between [&>div>div]:gap-4',
    itemDescription: 'shrink-0 text-quiet aria-selected:text-quiet',
    empty: 'border-line py-8 text-quiet',
    footer: 'hidden',
  },
  fileupload: { wrapper: 'hidden' },
  table: { div: 'overflow-visible', table: 'text-[13px] text-ink' },
};

/** A button is plain, the main one of its place, bare (words alone), or a chip over a picture. */
export type PressKind = 'plain' | 'main' | 'bare' | 'chip';

const RESET =
  'gap-1.5 text-[13px] leading-[1.45] text-ink ring-0 focus-within:text-ink focus-within:ring-0 ' +
  'hover:text-ink';
const CHOSEN =
  'aria-pressed:border-lantern aria-pressed:text-lantern ' +
  'aria-checked:border-lantern aria-checked:text-lantern';

export const PRESS: Record<PressKind, string> = {
  plain:
    `${RESET} ${CHOSEN} min-h-[30px] rounded-md border-line bg-field px-2.5 py-1 ` +
    'hover:bg-hover disabled:hover:bg-field',
  main:
    `${RESET} min-h-[30px] rounded-md border-jade bg-jade px-2.5 py-1 font-[650] text-[#06120d] ` +
    'hover:bg-[#6ad3ac] hover:text-[#06120d] focus-within:text-[#06120d] disabled:hover:bg-jade',
  bare:
    'gap-1 border-0 bg-transparent p-0 text-[length:inherit] leading-[inherit] font-normal ' +
    'text-inherit ring-0 hover:bg-transparent hover:text-inherit focus-within:text-inherit ' +
    'focus-within:ring-0 rounded-md',
  chip:
    `${RESET} border-0 rounded-md bg-[#0c1110d9] px-[9px] py-[2px] text-[12px] leading-[18px] ` +
    'font-normal hover:bg-hover aria-pressed:text-lantern aria-checked:text-lantern',
};
export const TIGHT = 'min-h-[26px] px-1.5 py-0.5 text-[12px]';
