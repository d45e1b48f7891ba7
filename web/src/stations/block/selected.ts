/** What is done with the selected proxy. */
import { project } from '../../lib/project.svelte';
import { selection } from '../../lib/selection.svelte';

export function remove() {
  const proxy = selection.one('proxy');
  if (!proxy) return;
  selection.clear();
  void project.keep({ verb: 'DeleteProxy', proxy });
}

export function duplicate() {
  const proxy = selection.one('proxy');
  if (proxy) void project.keep({ verb: 'DuplicateProxy', proxy });
}
