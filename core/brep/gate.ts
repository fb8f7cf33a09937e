import { boxSize } from '../math/index.ts';
import { type Body, bodyBox, isWatertight, topologyOf } from './body.ts';
import { massProperties } from './mass.ts';
import { crackCount, meshBody } from './mesh.ts';

export interface GateReport {
  readonly ok: boolean;
  readonly reasons: readonly string[];
  readonly largestTolerance: number;
  readonly area: number;
  readonly volume: number;
}
export interface GateExpectation {
  /** Largest edge tolerance allowed, mm. */
  readonly tolerance?: number;
  readonly watertight?: boolean;
  /** Areas and volumes that must come out again, relative 1e-5. */
  readonly area?: number;
  readonly volume?: number;
  readonly positiveVolume?: boolean;
  /** Chord of the mesh that must close, as a share of the body's size; 1/500 when nothing is said. */
  readonly chord?: number;
}

/** Independent look at a kernel result before it is believed: tolerances, free edges, own mass, own mesh. */
export function inspect(b: Body, expect: GateExpectation): GateReport {
  const reasons: string[] = [];
  const largestTolerance = b.edges.reduce((m, e) => Math.max(m, e.tolerance), 0);
  const mass = massProperties(b, undefined, true);
  if (!b.faces.length) reasons.push('it has no faces');
  if (expect.tolerance !== undefined && largestTolerance > expect.tolerance)
    reasons.push(`its edges are off their faces by ${largestTolerance.toPrecision(2)} mm`);
  if (expect.watertight && !isWatertight(b)) reasons.push(`${topologyOf(b).rims.length} edges are open`);
  const off = (a: number, c: number) => Math.abs(a - c) > 1e-5 * Math.max(Math.abs(a), Math.abs(c), 1e-9);
  if (expect.area !== undefined && off(mass.area, expect.area))
    reasons.push(`its area is ${mass.area.toPrecision(7)} mm² instead of ${expect.area.toPrecision(7)} mm²`);
  if (expect.volume !== undefined && off(mass.volume, expect.volume))
    reasons.push(`its volume is ${mass.volume.toPrecision(7)} mm³ instead of ${expect.volume.toPrecision(7)} mm³`);
  if (expect.positiveVolume && !(mass.volume > 0)) reasons.push('it encloses no positive volume');
  if (expect.watertight && !reasons.length) {
    const mesh = meshBody(b, { chord: Math.max(1e-4, boxSize(bodyBox(b)) * (expect.chord ?? 1 / 500)), angle: 0.6 });
    if (mesh.failed.length) reasons.push(`${mesh.failed.length} faces cannot be meshed`);
    else if (crackCount(mesh) > 0) reasons.push('its mesh does not close');
  }
  return { ok: reasons.length === 0, reasons, largestTolerance, area: mass.area, volume: mass.volume };
}
