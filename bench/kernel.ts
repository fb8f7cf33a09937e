import { knotRuns, type NurbsCurve } from '@ample-skin/core/nurbs';
import init from 'replicad-opencascadejs';

/** The kernel's own objects, for measuring beside it. */
// biome-ignore lint/suspicious/noExplicitAny: generated bindings
export const oc: any = await (init as unknown as (o: object) => Promise<unknown>)({ print() {}, printErr() {} });
export const progress = () => new oc.Message_ProgressRange();

/** A curve as the kernel has it. */
export function kernelCurve(c: NurbsCurve) {
  const n = c.control.length / 4;
  const runs = knotRuns(c.knots, c.degree);
  const poles = new oc.NCollection_Array1_gp_Pnt(1, n);
  const weights = new oc.NCollection_Array1_double(1, n);
  for (let i = 0; i < n; i++) {
    const w = c.control[4 * i + 3];
    poles.SetValue(i + 1, new oc.gp_Pnt(c.control[4 * i] / w, c.control[4 * i + 1] / w, c.control[4 * i + 2] / w));
    weights.SetValue(i + 1, w);
  }
  const knots = new oc.NCollection_Array1_double(1, runs.values.length);
  const multiplicities = new oc.NCollection_Array1_int(1, runs.values.length);
  runs.values.forEach((k, i) => {
    knots.SetValue(i + 1, k);
    multiplicities.SetValue(i + 1, runs.multiplicities[i]);
  });
  return new oc.Geom_BSplineCurve(poles, weights, knots, multiplicities, c.degree, false, true);
}
