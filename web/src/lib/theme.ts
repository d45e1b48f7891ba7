/** How the library's components look here: the one place where colours, radii and heights of
 *  controls are written. What a kind of control has of its own comes after what all have. */
import type { ThemeConfig } from 'flowbite-svelte';

const FIELD =
  'rounded-md border-line bg-field text-[13px] text-ink placeholder:text-quiet ' +
  'focus:border-lantern focus:ring-0';
const TICK =
  'me-0 rounded border-line bg-field text-jade focus:ring-0 focus:ring-offset-0 ' +
  'disabled:opacity-45';

/** The library's text area takes no theme unless it is wrapped. */
export const AREA = `min-w-0 px-2 py-1 dark:bg-field dark:text-ink ${FIELD}`;

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
  accordionItem: {
    base: 'mb-1.5',
    button:
      'justify-start gap-1.5 rounded-md border-0 p-0 font-semibold group-first:rounded-md ' +
      'group-first:border-0 bg-transparent hover:bg-transparent focus:ring-0',
    content: 'border-0 p-0',
  },
  alert: 'rounded-md border border-primary-800 bg-advice px-[11px] py-2.5 text-[13px] text-ink',
  toast: {
    base: 'w-fit max-w-[520px] border bg-field px-3.5 py-2.5 text-ink shadow-xl shadow-black/50',
    content: 'flex items-center gap-3 text-[13px]',
    close: 'my-0 h-6 w-6 bg-transparent p-1 text-quiet hover:bg-hover hover:text-ink focus:ring-0',
  },
  drawer: { base: 'flex flex-col border-y-0 border-e-0 border-line bg-raised p-3.5 text-ink' },
  timelineItem: { base: 'ms-2 mb-0' },
  progressbar: { base: 'bg-hover' },
  kbd:
    'rounded border-line bg-field px-[5px] py-0 font-mono text-[11.5px] leading-4 font-normal ' +
    'text-quiet',
  dropdown: 'rounded-md border border-line bg-raised text-ink shadow-xl shadow-black/50',
  dropdownGroup: 'py-1 text-[13px] text-ink',
  dropdownItem: {
    base: 'flex items-center justify-between gap-6 px-3 py-1 whitespace-nowrap hover:bg-hover',
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
    `${RESET} min-h-[30px] rounded-md border-jade bg-jade px-2.5 py-1 font-[650] text-dusk ` +
    'hover:bg-bright hover:text-dusk focus-within:text-dusk disabled:hover:bg-jade',
  bare:
    'gap-1 border-0 bg-transparent p-0 text-[length:inherit] leading-[inherit] font-normal ' +
    'text-inherit ring-0 hover:bg-transparent hover:text-inherit focus-within:text-inherit ' +
    'focus-within:ring-0 rounded-md',
  chip:
    `${RESET} border-0 rounded-md bg-shadow px-[9px] py-[2px] text-[12px] leading-[18px] ` +
    'font-normal hover:bg-hover aria-pressed:text-lantern aria-checked:text-lantern',
};
/** Words over a control; they are shown in the page's top layer. */
export const TIP =
  'max-w-80 rounded-md border border-line bg-ground px-2 py-1 text-[12px] leading-[18px] text-ink';
/** Words over the picture, as a chip has them. */
export const SAID = 'rounded-md bg-shadow px-[9px] py-[2px] text-[12px] leading-[18px] text-ink';
export const TIGHT = 'min-h-[26px] px-1.5 py-0.5 text-[12px]';
