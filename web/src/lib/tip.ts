/** What is said of a control while the pointer rests on it or a key has come to it. Attributes for
 *  it; `Tips` shows them. */

import { capital } from './words';

/** A verb's words and its key. */
interface Told {
  words: string;
  key?: string;
}

let table: () => readonly Told[] = () => [];

/** Say where the words and keys of all verbs are told. */
export function tellOf(verbs: () => readonly Told[]) {
  table = verbs;
}

/** words: what is said. verb: the words of a verb, whose key is said too. */
export function tip(words: string | null | undefined, verb?: string) {
  const key = verb && table().find((one) => one.words === verb)?.key;
  const all = [words ?? (verb && capital(verb)), key].filter(Boolean).join(' · ');
  return all ? { 'data-tip': all, 'aria-description': all } : {};
}
