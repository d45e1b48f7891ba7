/** What is done with the selected proxies. */
import type { Proxy } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { parts } from './parts.svelte';

const CLIPBOARD = 'jade-lantern.block.copied';

const chosen = () => selection.all('proxy');

export function remove() {
  const part = parts.now;
  if (part?.part.face) {
    parts.clear();
    void project.keep({ verb: 'DropFaces', proxy: part.proxy, faces: [part.part.face] });
    return;
  }
  const proxies = chosen();
  if (!proxies.length) return;
  selection.clear();
  void project.keep(
    proxies.length === 1
      ? { verb: 'DeleteProxy', proxy: proxies[0] }
      : { verb: 'DeleteProxies', proxies },
  );
}

export function duplicate() {
  for (const proxy of chosen()) void project.keep({ verb: 'DuplicateProxy', proxy });
}

/** Put the selected proxies by, for this project or another one in this browser. */
export function copy() {
  const ids = new Set(chosen());
  const copied = (project.scene?.proxies ?? []).filter((p) => ids.has(p.id));
  if (!copied.length) return;
  localStorage.setItem(CLIPBOARD, JSON.stringify(copied));
  project.say(`${copied.length === 1 ? copied[0].name : `${copied.length} proxies`} copied.`);
}

export async function paste() {
  let proxies: Proxy[] = [];
  try {
    proxies = JSON.parse(localStorage.getItem(CLIPBOARD) ?? '[]') as Proxy[];
  } catch {
    // what cannot be read is nothing copied
  }
  if (!proxies.length) {
    project.say('Nothing has been copied yet.');
    return;
  }
  if (await project.keep({ verb: 'AddProxies', proxies, said: 'Paste' }))
    selection.chooseAll(
      'proxy',
      project.scene!.proxies.slice(-proxies.length).map((p) => p.id),
    );
}

/** Everything that is of the same kind as what is selected. */
export function sameKind() {
  const proxies = project.scene?.proxies ?? [];
  const kinds = new Set(proxies.filter((p) => selection.has('proxy', p.id)).map((p) => p.kind));
  selection.chooseAll(
    'proxy',
    proxies.filter((p) => kinds.has(p.kind)).map((p) => p.id),
  );
}

/** Change the same numbers on everything that is selected. */
export function alterAll(to: Record<string, unknown>, proxies = chosen()) {
  if (proxies.length === 1)
    return project.keep({ verb: 'AlterProxy', proxy: proxies[0], to: to as never });
  return project.keep({ verb: 'AlterProxies', proxies, to: to as never });
}
