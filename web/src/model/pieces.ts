/** Pieces of the rack: their forms, the numbers that each form has, and how they are said. */
import type { Form, Piece, Range, Skin } from '../api/types';
import { show, type Units } from './units';

export type FormName = Form['form'];

export const FORMS: readonly { id: FormName; words: string }[] = [
  { id: 'flat', words: 'flat or square bar' },
  { id: 'plate', words: 'plate' },
  { id: 'block', words: 'block' },
  { id: 'round', words: 'round bar' },
  { id: 'hex', words: 'hexagon bar' },
  { id: 'tube', words: 'tube' },
  { id: 'casting', words: 'casting' },
  { id: 'slabs', words: 'slabs, glued' },
  { id: 'blank', words: 'blank from another shop' },
  { id: 'result', words: 'what another job left' },
];

export const SKINS: readonly { id: Skin; words: string }[] = [
  { id: 'sawn', words: 'sawn' },
  { id: 'rolled', words: 'rolled or extruded' },
  { id: 'drawn', words: 'drawn to size' },
  { id: 'ground', words: 'ground to size' },
  { id: 'milled', words: 'milled square' },
  { id: 'cast', words: 'as cast' },
];

export const skinWords = (s: Skin) => SKINS.find((x) => x.id === s)?.words ?? s;

const one = (v: number): Range => ({ least: v, most: v });

/** A form with sizes to begin from; what two forms have in common is carried over. */
export function formLike(name: FormName, was?: Form): Form {
  const has = (k: string, otherwise: number) => {
    const v = was ? (was as unknown as Record<string, unknown>)[k] : undefined;
    if (typeof v === 'number') return v;
    return v !== null && typeof v === 'object' && 'least' in v ? (v as Range).least : otherwise;
  };
  const length = one(has('length', 300));
  const width = has('width', has('diameter', 40));
  const height = has('height', 20);
  const diameter = has('diameter', width);
  switch (name) {
    case 'block':
    case 'flat':
      return { form: name, length, width, height };
    case 'plate':
      return { form: 'plate', length: length.least, width, height, outline: [] };
    case 'round':
      return { form: 'round', length, diameter };
    case 'hex':
      return { form: 'hex', length, across: has('across', diameter) };
    case 'tube':
      return { form: 'tube', length, diameter, bore: has('bore', diameter / 2) };
    case 'casting':
      return { form: 'casting', length: length.least, width, height, allowance: { least: 2, most: 4 } };
    case 'slabs':
      return { form: 'slabs', length: length.least, width, slab: has('slab', height), count: has('count', 2) };
    case 'blank':
      return { form: 'blank', length, width: one(width), height: one(height) };
    case 'result':
      return { form: 'result', job: '', length: length.least, width, height };
  }
}

export interface Size {
  label: string;
  value: number;
  /** "mm" or "". */
  unit: string;
  set: (v: number) => Form;
}

/** The numbers of a form, in the order in which a person says them. */
export function sizes(f: Form): Size[] {
  const mm = (label: string, value: number, set: (v: number) => Form): Size => ({ label, value, unit: 'mm', set });
  const range = (label: string, most: string, r: Range, put: (r: Range) => Form): Size[] => [
    mm(label, r.least, (v) => put(r.least === r.most ? one(v) : { ...r, least: v })),
    mm(most, r.most, (v) => put({ ...r, most: v })),
  ];
  switch (f.form) {
    case 'block':
    case 'flat':
      return [
        ...range('Length', 'Longest', f.length, (length) => ({ ...f, length })),
        mm('Width', f.width, (width) => ({ ...f, width })),
        mm('Height', f.height, (height) => ({ ...f, height })),
      ];
    case 'plate':
    case 'result':
      return [
        mm('Length', f.length, (length) => ({ ...f, length })),
        mm('Width', f.width, (width) => ({ ...f, width })),
        mm('Thickness', f.height, (height) => ({ ...f, height })),
      ];
    case 'round':
      return [
        mm('Diameter', f.diameter, (diameter) => ({ ...f, diameter })),
        ...range('Length', 'Longest', f.length, (length) => ({ ...f, length })),
      ];
    case 'hex':
      return [
        mm('Across flats', f.across, (across) => ({ ...f, across })),
        ...range('Length', 'Longest', f.length, (length) => ({ ...f, length })),
      ];
    case 'tube':
      return [
        mm('Outside', f.diameter, (diameter) => ({ ...f, diameter })),
        mm('Inside', f.bore, (bore) => ({ ...f, bore })),
        ...range('Length', 'Longest', f.length, (length) => ({ ...f, length })),
      ];
    case 'casting':
      return [
        mm('Length', f.length, (length) => ({ ...f, length })),
        mm('Width', f.width, (width) => ({ ...f, width })),
        mm('Height', f.height, (height) => ({ ...f, height })),
        ...range('Over, least', 'Over, most', f.allowance, (allowance) => ({ ...f, allowance })),
      ];
    case 'slabs':
      return [
        mm('Length', f.length, (length) => ({ ...f, length })),
        mm('Width', f.width, (width) => ({ ...f, width })),
        mm('One slab', f.slab, (slab) => ({ ...f, slab })),
        { label: 'Slabs', value: f.count, unit: '', set: (v) => ({ ...f, count: Math.round(v) }) },
      ];
    case 'blank':
      return [
        ...range('Length, least', 'Length, most', f.length, (length) => ({ ...f, length })),
        ...range('Width, least', 'Width, most', f.width, (width) => ({ ...f, width })),
        ...range('Height, least', 'Height, most', f.height, (height) => ({ ...f, height })),
      ];
  }
}

/** "flat 50 × 25, 1000 long". */
export function formWords(f: Form, units: Units): string {
  const n = (v: number) => show(v, 'mm', units, units === 'inch' ? 1 : undefined).text;
  const r = (x: Range) => (x.least === x.most ? n(x.least) : `${n(x.least)}–${n(x.most)}`);
  switch (f.form) {
    case 'block':
      return `block ${r(f.length)} × ${n(f.width)} × ${n(f.height)}`;
    case 'flat':
      return `${f.width === f.height ? 'square' : 'flat'} ${n(f.width)} × ${n(f.height)}, ${r(f.length)} long`;
    case 'plate':
      return `plate ${n(f.height)} thick, ${n(f.length)} × ${n(f.width)}${f.outline.length > 0 ? ', odd outline' : ''}`;
    case 'round':
      return `round Ø${n(f.diameter)}, ${r(f.length)} long`;
    case 'hex':
      return `hexagon ${n(f.across)} across flats, ${r(f.length)} long`;
    case 'tube':
      return `tube Ø${n(f.diameter)} / Ø${n(f.bore)}, ${r(f.length)} long`;
    case 'casting':
      return `casting ${n(f.length)} × ${n(f.width)} × ${n(f.height)}, ${r(f.allowance)} over`;
    case 'slabs':
      return `${f.count} slabs of ${n(f.slab)} glued, ${n(f.length)} × ${n(f.width)}`;
    case 'blank':
      return `blank ${r(f.length)} × ${r(f.width)} × ${r(f.height)}`;
    case 'result':
      return `from ${f.job || 'another job'}, ${n(f.length)} × ${n(f.width)} × ${n(f.height)}`;
  }
}

export const newPiece = (material: string): Piece => ({
  name: '',
  material,
  shape: formLike('flat'),
  skin: 'rolled',
  quantity: 1,
  cost: null,
  remnant_of: null,
  note: '',
});
