/** Leaks, looked for anew whenever the scene is another: one look at a time. */
import { api, type Leaks } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project } from '../../project/project.svelte';

class LeaksFound {
  now = $state.raw<Leaks | null>(null);
  picture = $state<string | null>(null);
  looking = $state(false);
  #of: string | null = null;

  /** Look, unless this has been looked at. */
  async look() {
    const state = project.state;
    if (!state || this.looking || !project.reading?.settled) return;
    const of = `${state.id}/${state.revision}`;
    if (of === this.#of) return;
    this.looking = true;
    const query = { revision: state.revision };
    const { data } = await api
      .GET('/api/projects/{id}/leaks', { params: { path: { id: state.id }, query } })
      .catch(() => ({ data: undefined }));
    const address = `/api/projects/${state.id}/leaks.png?revision=${state.revision}`;
    this.looking = false;
    if (!data || project.state?.id !== state.id) return;
    [this.now, this.picture, this.#of] = [data as Leaks, address, of];
    if (project.state.revision !== state.revision) void this.look();
  }

  clear() {
    [this.now, this.picture, this.#of] = [null, null, null];
  }
}

export const leaks = new LeaksFound();
desk.lay(
  'leaks',
  leaks,
  () => {
    leaks.clear();
    return {};
  },
  [],
);
