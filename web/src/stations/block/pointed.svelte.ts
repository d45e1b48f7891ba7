/** What is under the pointer, as the core tells it: the surface, and the face, edge or corner that
 *  is meant. One question is under way at a time; the newest wins. */
import { api, type Pick, type Pointed } from '../../lib/api/client';
import { project } from '../../project/project.svelte';

class UnderPointer {
  found = $state.raw<Pointed | null>(null);
  #waiting: (() => Promise<void>) | null = null;
  #asking = false;

  /** Ask, once nothing else is being asked. */
  look(at: Pick, within: number, held: string | null) {
    this.#waiting = async () => {
      this.found = await this.ask(at, within, held);
    };
    if (!this.#asking) void this.#run();
  }

  async #run() {
    this.#asking = true;
    while (this.#waiting) {
      const next = this.#waiting;
      this.#waiting = null;
      await next().catch(() => undefined);
    }
    this.#asking = false;
  }

  async ask(at: Pick, within: number, held: string | null): Promise<Pointed | null> {
    const state = project.state;
    if (!state || !project.reading?.settled) return null;
    const { data } = await api.POST('/api/projects/{id}/under', {
      params: { path: { id: state.id } },
      body: { base: state.revision, at, within, held } as never,
    });
    return (data as Pointed | null | undefined) ?? null;
  }

  forget() {
    this.#waiting = null;
    this.found = null;
  }
}

export const underPointer = new UnderPointer();

/** What the surface under the pointer is, in words. */
export function inWords(found: Pointed | null): string | null {
  if (!found) return null;
  const [x, y, z] = found.normal;
  const lies = Math.abs(y) > 0.999 ? 'level' : Math.abs(y) < 0.03 ? 'upright' : 'sloping';
  const turn = Math.round((Math.atan2(x, z) * 180) / Math.PI);
  const faces = lies === 'level' ? '' : `, facing ${turn}°`;
  const name = found.name ?? 'the ground';
  return `On ${name}: ${lies}${faces}, ${found.distance.toFixed(2)} m from the lens`;
}
