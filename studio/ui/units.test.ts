import { describe, expect, it } from 'vitest';
import { inUnit, UNITS, unitFactor } from './units.ts';

describe('measures in the unit of the model', () => {
  it.each([
    ['12.5 mm', 'mm', 3, '12.5 mm'],
    ['25.4 mm', 'in', 3, '1 in'],
    ['1000 mm', 'm', 3, '1 m'],
    ['300 mm²', 'cm', 2, '3 cm²'],
    ['2500000 mm³', 'cm', 1, '2500 cm³'],
    ['7539.822 mm²', 'in', 2, '11.69 in²'],
    ['0 mm', 'in', 3, '0 in'],
  ])('%s in %s with %i digits: %s', (text, unit, digits, want) => {
    expect(inUnit(text, unit, digits)).toBe(want);
  });
  it('small numbers keep two figures instead of becoming zero', () => {
    expect(inUnit('6.8e-7 mm', 'mm', 3)).toBe('6.8e-7 mm');
    expect(inUnit('0.00012 mm', 'cm', 3)).toBe('0.000012 cm');
  });
  it('every measure of a sentence is written anew, other numbers and words stay', () => {
    expect(inUnit('2 gaps, the largest 0.5 mm at 3 of 4 places', 'cm', 2)).toBe('2 gaps, the largest 0.05 cm at 3 of 4 places');
    expect(inUnit('carried on by 12.8 mm', 'in', 1)).toBe('carried on by 0.5 in');
    expect(inUnit('no measure here, 90°', 'in', 1)).toBe('no measure here, 90°');
  });
  it('each unit has its factor', () => {
    expect(UNITS.map(unitFactor)).toEqual([1, 10, 1000, 25.4]);
  });
});
