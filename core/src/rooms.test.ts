import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';

const ROOT = __dirname;
const rooms = readdirSync(ROOT, { withFileTypes: true }).flatMap((d) => (d.isDirectory() ? [d.name] : []));

/** Rooms that a room's own files import from, tests apart; types count too. */
const importsOf = (room: string): string[] =>
  readdirSync(path.join(ROOT, room))
    .filter((f) => f.endsWith('.ts') && !/\.(test|verify)\.ts$/.test(f))
    .flatMap((f) => [...readFileSync(path.join(ROOT, room, f), 'utf8').matchAll(/from '(\.\.?\/[^']+)'/g)].map((m) => path.normalize(path.join(room, m[1])).split(path.sep)[0]))
    .filter((to) => to !== room && rooms.includes(to));

test('no room of the core needs a room that needs it', () => {
  const needs = new Map(rooms.map((room) => [room, new Set(importsOf(room))]));
  // what needs nothing more is taken away until nothing is left
  for (let before = -1; before !== needs.size;) {
    before = needs.size;
    for (const [room, of] of needs) if ([...of].every((to) => !needs.has(to))) needs.delete(room);
  }
  expect([...needs].map(([room, of]) => `${room} needs ${[...of].filter((to) => needs.has(to)).join(', ')}`)).toEqual([]);
  // and the test has read them: everything stands on the numbers
  expect(importsOf('solve')).toContain('math');
  expect(rooms.length).toBeGreaterThan(20);
});
