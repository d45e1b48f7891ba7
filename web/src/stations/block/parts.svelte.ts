/** The face, edge or corner that is selected, beside the proxy it is on. */
import { api, type Part, type Pointed } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';

export interface ChosenPart {
  proxy: string;
  part: Part;
  lines: number[][][];
  /** The face under the press, on whose plane a corner or an edge is pulled. */
  face: number | null;
}

class Parts {
  chosen = $state.raw<ChosenPart | null>(null);

  /** The part that is selected, while its proxy is. */
  get now(): ChosenPart | null {
    const at = this.chosen;
    return at && selection.one('proxy') === at.proxy ? at : null;
  }

  choose(found: Pointed) {
    if (!found.proxy || !found.part) return;
    selection.choose('proxy', found.proxy);
    this.chosen = {
      proxy: found.proxy,
      part: found.part,
      lines: found.lines,
      face: found.face ?? null,
    };
  }

  /** The part may be elsewhere by now: ask where. It is let go where it is not there any more. */
  async follow() {
    const at = this.now;
    const state = project.state;
    if (!at || !state) return;
    const { data } = await api
      .POST('/api/projects/{id}/part', {
        params: { path: { id: state.id } },
        body: { base: state.revision, proxy: at.proxy, part: at.part },
      })
      .catch(() => ({ data: undefined }));
    if (this.chosen === at) this.chosen = data ? { ...at, lines: data as number[][][] } : null;
  }

  clear() {
    this.chosen = null;
  }
}

export const parts = new Parts();
desk.lay('parts', parts, () => ({ chosen: null }), []);

/** What a part is called. */
export function partName(part: Part): string {
  if (part.face) return `Face ${part.face}`;
  if (part.edge) return `Edge ${part.edge[0]}–${part.edge[1]}`;
  return `Corner ${part.corner}`;
}
