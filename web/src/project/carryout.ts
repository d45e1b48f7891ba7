/** Doing what can be done, or saying why it cannot be done now. */
import { project } from './project.svelte';

export function carryOut(verb: { run?: () => void; needs?: () => string | null }) {
  const why = verb.needs?.();
  if (why) project.say(why);
  else verb.run?.();
}
