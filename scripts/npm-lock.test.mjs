// Planted faults are found.
import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import test from 'node:test';
import { faults } from './npm-lock.mjs';

const lock = () => JSON.parse(readFileSync(new URL('../web/package-lock.json', import.meta.url), 'utf8'));
const planted = (change) => {
  const l = lock();
  change(l.packages['node_modules/react'], l);
  return faults(l);
};

test('the lock file as it is has none', () => assert.deepEqual(faults(lock()), []));

test('each fault is told with its package', () => {
  for (const [change, words] of [
    [(p) => delete p.integrity, 'no SHA-512'],
    [(p) => (p.integrity = 'sha1-abc='), 'no SHA-512'],
    [(p) => (p.resolved = 'git+ssh://elsewhere/x.git'), 'elsewhere'],
    [(p) => (p.license = 'GPL-3.0-only'), 'licence GPL-3.0-only'],
    [(p) => delete p.license, 'licence'],
    [(p) => (p.license = 'MPL-2.0'), 'licence MPL-2.0'],
  ]) {
    const found = planted(change);
    assert.equal(found.length, 1, words);
    assert.match(found[0], /node_modules\/react/);
    assert.ok(found[0].includes(words), found[0]);
  }
  assert.equal(planted((p) => (p.license = '(MIT OR GPL-3.0-only)')).length, 0);
  assert.equal(planted((_, l) => (l.lockfileVersion = 1)).length, 1);
  assert.ok(faults({ lockfileVersion: 3, packages: {} }).length > 0);
});
