/** Sums as people type them into a field: 2.4/3, 6ft 2in + 5cm, (1.2 + 0.4) * 2. */

/** The value of what was typed, or null where it is none. read: what a single quantity is worth;
 *  what something is multiplied or divided by is a plain number. */
export function arithmetic(text: string, read: (term: string) => number | null): number | null {
  const plain = (term: string) => {
    const t = term.trim().replace(',', '.');
    return t === '' || !Number.isFinite(Number(t)) ? null : Number(t);
  };
  const tokens = text.replace(/−/g, '-').match(/[-+*/()]|[^-+*/()]+/g) ?? [];
  const parts = tokens.map((t) => t.trim()).filter(Boolean);
  let at = 0;

  function sum(): number | null {
    let total = product();
    while (total !== null && (parts[at] === '+' || parts[at] === '-')) {
      const sign = parts[at++] === '+' ? 1 : -1;
      const next = product();
      total = next === null ? null : total + sign * next;
    }
    return total;
  }
  function product(): number | null {
    let value = signed(read);
    while (value !== null && (parts[at] === '*' || parts[at] === '/')) {
      const times = parts[at++] === '*';
      const by = signed(plain);
      value = by === null ? null : times ? value * by : value / by;
    }
    return value;
  }
  function signed(as: (term: string) => number | null): number | null {
    if (parts[at] !== '-') return single(as);
    at++;
    const value = single(as);
    return value === null ? null : -value;
  }
  function single(as: (term: string) => number | null): number | null {
    const part = parts[at++];
    if (part === undefined || '+-*/)'.includes(part)) return null;
    if (part !== '(') return as(part);
    const inner = sum();
    return parts[at++] === ')' ? inner : null;
  }

  const value = sum();
  return at === parts.length && value !== null && Number.isFinite(value) ? value : null;
}
