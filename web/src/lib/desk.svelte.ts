/** What lies on the desk while a project is open. It is found there again on the next visit, and
 *  never shared. Each part lays itself here; nothing here knows what it is. */
interface Lying {
  clear(): void;
  noted(): unknown;
  find(noted: Record<string, unknown>): void;
}

class Desk {
  #parts = new Map<string, Lying>();
  #id = 0;

  /** Lay a part on the desk. fresh: how it lies in a project that is opened for the first time.
   *  kept: which of its fields are found again on the next visit. */
  lay<T extends object>(name: string, part: T, fresh: () => Partial<T>, kept: (keyof T)[]) {
    this.#parts.set(name, {
      clear: () => Object.assign(part, fresh()),
      noted: () => Object.fromEntries(kept.map((key) => [key, part[key]])),
      find: (noted) => {
        for (const key of kept)
          if (String(key) in noted) part[key] = noted[String(key)] as T[keyof T];
      },
    });
  }

  open(id: number) {
    this.#id = id;
    let noted: Record<string, Record<string, unknown>> = {};
    try {
      noted = JSON.parse(localStorage.getItem(`desk-${id}`) ?? '{}');
    } catch {
      // an unreadable note of where things lay only means they lie where they first did
    }
    for (const [name, part] of this.#parts) {
      part.clear();
      part.find(noted[name] ?? {});
    }
  }

  keep() {
    if (!this.#id) return;
    const noted = Object.fromEntries([...this.#parts].map(([name, part]) => [name, part.noted()]));
    localStorage.setItem(`desk-${this.#id}`, JSON.stringify(noted));
  }
}

export const desk = new Desk();
