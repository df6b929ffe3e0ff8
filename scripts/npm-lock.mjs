// The front end's lock file: every package has its SHA-512, comes from the registry and nowhere else, runs nothing when it is installed, and has a
// licence that asks for no more than to be named (those that are only built with may ask for their own files' changes).
import { readFileSync } from 'node:fs';

const FREE = ['MIT', 'Apache-2.0', 'ISC', 'BSD-2-Clause', 'BSD-3-Clause', '0BSD', 'BlueOak-1.0.0', 'OFL-1.1'];
const TO_BUILD_WITH = [...FREE, 'MPL-2.0', 'CC-BY-4.0'];

/** Complaints about a lock file. */
export function faults(lock) {
  const out = [];
  if (lock.lockfileVersion !== 3) out.push(`lock file of version ${lock.lockfileVersion}, not 3`);
  const packages = Object.entries(lock.packages ?? {}).filter(([path]) => path !== '');
  if (packages.length === 0) out.push('it holds no package');
  for (const [path, p] of packages) {
    const licences = String(p.license ?? 'none').replace(/[()]/g, '').split(' OR ');
    const allowed = p.dev || p.optional ? TO_BUILD_WITH : FREE;
    if (!/^sha512-[A-Za-z0-9+/]{86}==$/.test(p.integrity ?? '')) out.push(`${path}: no SHA-512`);
    if (p.resolved !== undefined || p.link) out.push(`${path}: it comes from ${p.resolved ?? 'a folder'}, not from the registry`);
    if (!licences.some((l) => allowed.includes(l))) out.push(`${path}: licence ${p.license}`);
  }
  return out;
}

if (process.argv[2]) {
  const found = faults(JSON.parse(readFileSync(process.argv[2], 'utf8')));
  found.forEach((f) => console.error(f));
  process.exit(found.length > 0 ? 1 : 0);
}
