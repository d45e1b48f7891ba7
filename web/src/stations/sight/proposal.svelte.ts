/** What the picture proposes for the sighting as it stands: its edges, and the one worth most. */
import { checks } from './checks.svelte';
import { api, type Opinion, type Proposal, type ProposedEdge } from '../../lib/api/client';
import type { Point } from '../../views/camera';
import { project } from '../../project/project.svelte';

class Proposing {
  found = $state.raw<Proposal | null>(null);
  opinions = $state.raw<Opinion[]>([]);
  looking = $state(false);
  #at = '';

  /** Keep what is proposed in step with the project while Sight is open. */
  follow() {
    const state = project.state;
    if (!state) return;
    const at = `${state.id}.${state.revision}`;
    if (at === this.#at) return;
    const other = this.#at.split('.')[0] !== String(state.id);
    this.#at = at;
    if (other) this.found = null;
    const params = { path: { id: state.id }, query: { revision: state.revision } };
    this.looking = true;
    void api
      .GET('/api/projects/{id}/proposal', { params })
      .then(({ data }) => {
        if (this.#at === at && data) this.found = data as Proposal;
      })
      .catch(() => undefined)
      .finally(() => {
        if (this.#at === at) this.looking = false;
      });
  }

  #opinionsAt = '';
  /** What each two headings say alone, while that is looked at. */
  hear() {
    const state = project.state;
    if (!state || !checks.opinions) return;
    const at = `${state.id}.${state.revision}`;
    if (at === this.#opinionsAt) return;
    this.#opinionsAt = at;
    const params = { path: { id: state.id }, query: { revision: state.revision } };
    void api.GET('/api/projects/{id}/opinions', { params }).then(({ data }) => {
      if (this.#opinionsAt === at && data) this.opinions = data as Opinion[];
    });
  }
}

export const proposing = new Proposing();

/** How far a place is from an edge, in picture pixels. */
export function aside(at: Point, e: ProposedEdge): number {
  const [ax, ay] = e.a;
  const d = [e.b[0] - ax, e.b[1] - ay];
  const n = d[0] * d[0] + d[1] * d[1] || 1;
  const t = Math.min(Math.max(((at[0] - ax) * d[0] + (at[1] - ay) * d[1]) / n, 0), 1);
  return Math.hypot(at[0] - ax - t * d[0], at[1] - ay - t * d[1]);
}
