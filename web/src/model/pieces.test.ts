import { expect, it } from 'vitest';
import { FORMS, formLike, formWords, sizes } from './pieces';

it('carries over what two forms have in common', () => {
  const round = formLike('round', { form: 'flat', length: { least: 120, most: 130 }, width: 25, height: 10 });
  expect(round).toEqual({ form: 'round', length: { least: 120, most: 120 }, diameter: 25 });
  expect(formLike('tube', round)).toMatchObject({ diameter: 25, bore: 12.5 });
  for (const f of FORMS) expect(formLike(f.id).form).toBe(f.id);
});

it('says a form in the unit of the screen', () => {
  const f = formLike('flat', { form: 'flat', length: { least: 508, most: 508 }, width: 50.8, height: 25.4 });
  expect(formWords(f, 'mm')).toBe('flat 50.8 × 25.4, 508 long');
  expect(formWords(f, 'inch')).toBe('flat 2 × 1, 20 long');
  expect(formWords({ form: 'hex', length: { least: 90, most: 110 }, across: 17 }, 'mm')).toBe(
    'hexagon 17 across flats, 90–110 long',
  );
});

it('sets each size where it belongs, and keeps a single length single', () => {
  for (const { id } of FORMS) {
    const f = formLike(id);
    for (const s of sizes(f)) {
      const g = s.set(s.unit === 'mm' ? 7.5 : 3);
      expect(sizes(g).find((x) => x.label === s.label)?.value).toBe(s.unit === 'mm' ? 7.5 : 3);
    }
  }
  const bar = sizes(formLike('round')).find((s) => s.label === 'Length');
  expect(bar?.set(200)).toMatchObject({ length: { least: 200, most: 200 } });
});
