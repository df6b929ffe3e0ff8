import { describe, expect, it } from 'vitest';
import { clock, read, say, saySize } from './units';

const value = (text: string, unit = 'mm', units: 'mm' | 'inch' = 'mm') => {
  const r = read(text, unit, units);
  return r.kind === 'number' ? Number(r.value.toFixed(6)) : r;
};

describe('numbers as typed', () => {
  it('takes arithmetic and either unit', () => {
    expect(value('1.5+0.2')).toBe(1.7);
    expect(value('3/8', 'mm', 'inch')).toBe(9.525);
    expect(value('3/8 in')).toBe(9.525);
    expect(value('1 1/2 in')).toBeCloseTo(38.1, 9);
    expect(value('1 1/2', 'mm', 'inch')).toBeCloseTo(38.1, 9);
    expect(value('2 3/4 + 1/4')).toBe(3);
    expect(value('12 mm', 'mm', 'inch')).toBe(12);
    expect(value('10 mm + 1/8 in')).toBe(13.175);
    expect(value('1 + 2 mm', 'mm', 'inch')).toBe(27.4);
    expect(value('2*(3-1)')).toBe(4);
    expect(value('-4')).toBe(-4);
    expect(value('0,5')).toBe(0.5);
    expect(value('50 in/min', 'mm/min')).toBe(1270);
    expect(value('6000', '1/min', 'inch')).toBe(6000);
  });
  it('says what is wrong', () => {
    expect(read('', 'mm', 'mm').kind).toBe('empty');
    expect(read('1/0', 'mm', 'mm')).toEqual({ kind: 'wrong', why: 'Division by zero' });
    expect(read('abc', 'mm', 'mm').kind).toBe('wrong');
    expect(read('(1+2', 'mm', 'mm')).toEqual({ kind: 'wrong', why: 'A ) is missing' });
    expect(read('5 mm', '1/min', 'mm').kind).toBe('wrong');
    expect(read('1 2', 'mm', 'mm').kind).toBe('wrong');
  });
});

describe('numbers as shown', () => {
  it('changes the unit and keeps what has none', () => {
    expect(say(25.4, 'mm', 'inch')).toBe('1 in');
    expect(say(6000, '1/min', 'inch')).toBe('6\u202f000 rpm');
    expect(say(1270, 'mm/min', 'inch')).toBe('50 in/min');
    expect(saySize([74, 48, 16], 'mm')).toBe('74 × 48 × 16 mm');
    expect(clock(761)).toBe('12:41');
  });
});
