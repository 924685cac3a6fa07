import { readFileSync } from 'node:fs';
import path from 'node:path';
import { EXPLANATIONS } from './explanations';

const headings = [...readFileSync(path.join(__dirname, '../../../docs/models.md'), 'utf8').matchAll(/^#{2,3} ([^(\n]+?)(?: \(.*)?$/gm)].map((m) => m[1].trim());

test.each(Object.entries(EXPLANATIONS))('%s leads to a page that there is, and says from what, how, and what would help', (_key, e) => {
  expect(headings).toContain(e.page);
  for (const text of [e.from, e.model, e.better]) expect(text).toMatch(/^[A-Z].{20,}\.$/);
});
