import { beforeEach, describe, expect, it, vi } from 'vitest';

vi.hoisted(() => {
  vi.stubGlobal('window', { location: { origin: 'http://lantern.test', pathname: '/' } });
  vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined });
});
import { carryOut } from '../src/project/carryout';
import { project } from '../src/project/project.svelte';
import { everywhere, listed } from '../src/shell/verbs';
import type { Station, Verb } from '../src/views/station';

const ran: string[] = [];
const verb = (words: string, more: Partial<Verb> = {}): Verb => ({
  words,
  run: () => ran.push(words),
  ...more,
});
const station = (name: string, verbs: Verb[]) =>
  ({
    name,
    title: name[0].toUpperCase() + name.slice(1),
    verbs: () => verbs,
    chips: () => [{ label: 'Wire', on: true, press: () => ran.push('wire') }],
  }) as unknown as Station;
const block = station('block', [
  verb('stand a box', { key: 'B' }),
  verb('only a key', { run: undefined, key: 'Shift' }),
  verb(''),
  verb('delete it', { needs: () => 'Nothing is selected.' }),
]);
const move = station('move', [verb('push')]);

beforeEach(() => (ran.length = 0));

describe('the palette', () => {
  it('lists what can be run: here, everywhere, then elsewhere', () => {
    const all = listed([block, move], block, []);
    const words = all.map((one) => `${one.where}: ${one.words}`);
    expect(words.slice(0, 3)).toEqual([
      'Block: stand a box',
      'Block: delete it',
      'Block: hide: wire',
    ]);
    expect(words).toContain('Everywhere: undo');
    expect(words.at(-2)).toBe('Move: push');
    expect(words.some((w) => w.includes('only a key'))).toBe(false);
    expect(new Set(all.map((one) => one.id)).size).toBe(all.length);
    expect(all[0].key).toBe('B');
  });

  it('puts what was run last first', () => {
    const [first, second] = listed([block, move], block, ['Move: push', 'Everywhere: undo']);
    expect([first.id, second.id]).toEqual(['Move: push', 'Everywhere: undo']);
  });

  it('runs a verb, or says why it cannot be done now', () => {
    const say = vi.spyOn(project, 'say').mockImplementation(() => undefined);
    const [stand, remove] = listed([block, move], block, []);
    stand.run();
    remove.run();
    expect(ran).toEqual(['stand a box']);
    expect(say).toHaveBeenCalledWith('Nothing is selected.');
    carryOut({});
    say.mockRestore();
  });

  it('has no key twice everywhere', () => {
    const keys = everywhere([block, move]).flatMap((v) => v.on ?? []);
    expect(new Set(keys).size).toBe(keys.length);
  });
});
