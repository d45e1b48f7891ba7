/** What stands on the floor, and so can be slid over it. */
import { project } from '../../project/project.svelte';

/** The level that a proxy stands on; null for one that hangs before the lens, or is not there. */
export function levelOf(id: string): number | null {
  const proxy = project.scene?.proxies.find((p) => p.id === id);
  return proxy && 'level_m' in proxy ? (proxy.level_m ?? 0) : null;
}
