import { formatNumber, unitInMm } from '@ample-skin/core/math';
import { useSettings } from '../state/settings.ts';
import { useStudio } from '../state/state.ts';

export const UNITS = ['mm', 'cm', 'm', 'in'] as const;
/** Millimetres in the model's unit: lengths are kept in mm and shown in the unit. */
export const unitFactor = (unit: string): number => unitInMm(unit) ?? 1;

/** A text of measures in mm (`12.5 mm`, `3 mm²`) written in another unit, with so many digits. */
export function inUnit(text: string, unit: string, digits: number): string {
  const f = unitFactor(unit);
  return text.replace(
    /(-?\d+(?:\.\d+)?(?:e[-+]?\d+)?)( ?× ?|\s+)?(mm)(²|³)?/gi,
    (whole, n: string, gap: string | undefined, _u: string, power: string | undefined) => {
      const value = Number(n) / f ** (power === '³' ? 3 : power === '²' ? 2 : 1);
      if (!Number.isFinite(value)) return whole;
      const shown = Math.abs(value) >= 10 ** -digits || value === 0 ? formatNumber(value, digits) : value.toPrecision(2);
      return `${shown}${gap ?? ' '}${unit}${power ?? ''}`;
    },
  );
}
/** Writes measures in the model's unit and the person's precision. */
export function useMeasure(): (text: string) => string {
  const unit = useStudio((s) => s.model.unit);
  const digits = useSettings((s) => s.digits);
  return (text) => inUnit(text, unit, digits);
}
